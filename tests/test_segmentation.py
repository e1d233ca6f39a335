"""Segmentation as a value: sizes, centres, names, assignments, numbering."""

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError
from gauger.segmentation import number_by_size, segmentation_from_codes


@pytest.fixture
def seg() -> gauger.Segmentation:
    table = pd.DataFrame({"who": list("abcde"), "visits": [1.0, 3.0, 10.0, 12.0, 50.0]})
    features = gauger.prepare(table, key="who", scale="minmax")
    return segmentation_from_codes(features, np.array([1, 1, 2, 2, 0]), method="hand")


def test_sizes_centres_and_spread_are_those_worked_by_hand(seg: gauger.Segmentation) -> None:
    assert seg.count == 2
    assert seg.sizes.to_dict() == {1: 2, 2: 2}
    np.testing.assert_allclose(seg.centres["visits"], [2.0, 11.0])
    np.testing.assert_allclose(seg.scaled_centres[:, 0], [1 / 49, 10 / 49])
    assert seg.wcss == pytest.approx(4 * (1 / 49) ** 2)


@pytest.mark.parametrize("seed", range(20))
def test_one_segment_explains_nothing_and_never_less(seed: int) -> None:
    table = pd.DataFrame({"who": range(60), "visits": np.random.default_rng(seed).gamma(1.0, 50.0, 60)})
    whole = segmentation_from_codes(gauger.prepare(table, key="who"), np.ones(60, int), method="hand")
    assert 0.0 <= whole.explained < 1e-12


def test_assignments_have_a_row_a_customer_and_mark_the_unassigned(seg: gauger.Segmentation) -> None:
    table = seg.assignments
    assert table.columns.tolist() == ["who", "segment", "segment_name", "distance"]
    assert table["who"].tolist() == list("abcde")
    assert table["segment_name"].tolist() == ["segment 1"] * 2 + ["segment 2"] * 2 + ["unassigned"]
    assert np.isnan(table["distance"].iloc[-1])


def test_renaming_gives_a_new_segmentation_and_keeps_the_old(seg: gauger.Segmentation) -> None:
    renamed = seg.rename({1: "now and then"})
    assert renamed.assignments["segment_name"].tolist()[:3] == ["now and then", "now and then", "segment 2"]
    assert seg.names[1] == "segment 1"
    assert renamed.rename({2: "often"}).names[1] == "now and then"


@pytest.mark.parametrize(
    ("names", "message"),
    [
        ({3: "x"}, "there is no segment 3: they run from 1 to 2"),
        ({1: " "}, "not empty"),
        ({1: "segment 2"}, "two segments would be called 'segment 2'"),
    ],
)
def test_impossible_names_are_refused(seg: gauger.Segmentation, names: dict[int, str], message: str) -> None:
    with pytest.raises(SettingError, match=message):
        seg.rename(names)


def test_the_headline_counts_customers_and_unassigned(seg: gauger.Segmentation) -> None:
    assert seg.headline() == "2 segments of 5 customers by hand, 1 unassigned"


def test_numbers_go_from_the_largest_and_ties_by_centre() -> None:
    codes = np.array([0, 1, 1, 2, 3, 3])
    centres = np.array([[9.0], [5.0], [1.0], [2.0]])
    numbered, order = number_by_size(codes, centres)
    assert numbered.tolist() == [4, 2, 2, 3, 1, 1]
    assert centres[order].tolist() == sorted(
        centres.tolist(), key=lambda centre: numbered[codes == centres.tolist().index(centre)][0]
    )


def test_everyone_may_be_in_no_segment(seg: gauger.Segmentation) -> None:
    nobody = segmentation_from_codes(seg.features, np.zeros(5, dtype=int), method="hand")
    assert nobody.count == 0
    assert nobody.centres.shape == (0, 1)
    assert nobody.centres.columns.tolist() == ["visits"]
    assert nobody.wcss == 0.0
    assert np.isnan(nobody.explained)
    assert nobody.explained_by_feature.tolist() == [0.0]
    assert nobody.assignments["segment_name"].tolist() == ["unassigned"] * 5
    with pytest.raises(SettingError, match="no segment 1: nobody is in one"):
        nobody.rename({1: "now and then"})
    with pytest.raises(SettingError, match="nobody is in a segment"):
        gauger.draw.segment_spread(nobody)
    assert nobody.headline() == "0 segments of 5 customers by hand, 5 unassigned"


@pytest.mark.parametrize("codes", [[1, 1, 3, 3, 0], [0, 0, 2, 2, 2], [-1, 1, 1, 1, 1]])
def test_codes_with_gaps_are_refused(seg: gauger.Segmentation, codes: list[int]) -> None:
    with pytest.raises(SettingError, match="without a gap"):
        segmentation_from_codes(seg.features, np.array(codes), method="hand")


def test_codes_for_other_customers_are_refused(seg: gauger.Segmentation) -> None:
    with pytest.raises(SettingError, match="2 codes for 5 customers"):
        segmentation_from_codes(seg.features, np.array([1, 1]), method="hand")
