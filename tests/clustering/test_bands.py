"""Segments by bands: fifths, edges, quadrants and scores, worked by hand."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import SettingError, UnknownColumnError


def _features(**columns: list[float]) -> gauger.FeatureSet:
    table = pd.DataFrame(columns)
    table.insert(0, "who", [f"c{row:03d}" for row in range(len(table))])
    return gauger.prepare(table, key="who", scale="none")


def test_bands_hold_equally_many_and_the_quadrants_are_named() -> None:
    features = _features(visits=[1, 2, 3, 4, 5, 6, 7, 8], spend=[9, 1, 8, 2, 7, 3, 6, 4])
    seg = gauger.segment_by_bands(features, {"visits": 2, "spend": 2})
    assert seg.edges == {"visits": (5.0,), "spend": (6.0,)}
    assert [seg.names[code] for code in seg.codes[:2]] == ["visits low, spend high", "visits low, spend low"]
    assert sorted(seg.sizes) == [2, 2, 2, 2]


def test_scores_add_up_with_low_values_counting_as_good_where_told() -> None:
    features = _features(recency=[1, 2, 3, 4], visits=[40, 30, 20, 10])
    seg = gauger.segment_by_bands(features, {"recency": 4, "visits": 4}, combine="score", low_is_good=["recency"])
    assert seg.assignments["score"].tolist() == [8, 6, 4, 2]
    halves = gauger.segment_by_bands(
        features, {"recency": 4, "visits": 4}, combine="score", low_is_good=["recency"], score_bands=2
    )
    assert {halves.names[code] for code in halves.codes[:2]} == {"score 6 to 8"}


def test_equal_values_stay_together_and_fewer_bands_are_remarked() -> None:
    seg = gauger.segment_by_bands(_features(visits=[1, 1, 1, 1, 1, 1, 2, 3]), {"visits": 4})
    assert len(set(seg.codes[:6])) == 1
    assert seg.remarks[0].code == "fewer-bands"
    assert seg.remarks[0].features == ("visits",)


def test_edges_that_a_resample_lacks_are_no_fault() -> None:
    seg = gauger.segment_by_bands(_features(visits=[1.0] * 30 + [99.0]), {"visits": [50]})
    assert gauger.profile(seg).overlap["resamples"].tolist() == [20, 20]


@given(
    st.lists(st.integers(0, 9), min_size=2, max_size=60).filter(lambda values: len(set(values)) > 1), st.integers(2, 6)
)
def test_a_band_begins_at_its_edge(values: list[int], bands: int) -> None:
    seg = gauger.segment_by_bands(_features(visits=[float(value) for value in values]), {"visits": bands})
    assert seg.edges is not None
    expected = [1 + sum(value >= edge for edge in seg.edges["visits"]) for value in values]
    assert seg.assignments["visits_band"].tolist() == expected
    assert len(seg.edges["visits"]) < bands


def test_the_order_of_rows_changes_nothing(demo_features: gauger.FeatureSet) -> None:
    bands = {"visits": 3, "spend_mean": 3}
    order = np.random.default_rng(1).permutation(len(demo_features.keys))
    one = gauger.segment_by_bands(demo_features, bands)
    other = gauger.segment_by_bands(demo_features.part(order), bands)
    assert (other.codes == one.codes[order]).all()


@pytest.mark.parametrize(
    ("bands", "options", "error", "message"),
    [
        ({}, {}, SettingError, "which features have how many bands"),
        ({"visit": 2}, {}, UnknownColumnError, "did you mean 'visits'"),
        ({"visits": 1}, {}, SettingError, "from 2 to 20"),
        ({"visits": [3, 2]}, {}, SettingError, "edges that rise"),
        ({"visits": [90]}, {}, SettingError, "nobody is on one side of the edge 90"),
        ({"same": 2}, {}, SettingError, "cannot be cut into bands"),
        ({"visits": 2}, {"combine": "sum"}, SettingError, "combine='sum' is not known"),
        ({"visits": 2}, {"low_is_good": ["same"]}, SettingError, "which has no bands"),
        ({"visits": 2}, {"score_bands": 2}, SettingError, "for combine='score'"),
    ],
)
def test_impossible_bands_are_refused(bands: object, options: dict, error: type[Exception], message: str) -> None:
    with pytest.raises(error, match=message):
        gauger.segment_by_bands(_features(visits=[1, 2, 3], same=[5, 5, 5]), bands, **options)
