"""Categories and flags of missing values as indicator features."""

import itertools

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import MissingValuesError, SettingError

TABLE = pd.DataFrame(
    {
        "who": range(6),
        "visits": [1.0, 2.0, 3.0, 4.0, np.nan, 6.0],
        "area": ["North", "South", "North", "Up / down", "South", "North"],
        "plan": [1, 2, 1, 2, 1, 2],
    }
)


def test_a_category_enters_as_one_indicator_a_level() -> None:
    features = gauger.prepare(TABLE, key="who", features=[], categories=["area", "plan"], scale="none")
    assert features.names == ("area_is_north", "area_is_south", "area_is_up_down", "plan_is_1", "plan_is_2")
    assert features.original["area_is_north"].tolist() == [1, 0, 1, 0, 0, 1]


def test_a_category_varies_as_much_as_one_measure_whatever_its_levels() -> None:
    rng = np.random.default_rng(0)
    table = pd.DataFrame({"who": range(500), "few": rng.choice(list("ab"), 500), "many": rng.integers(0, 20, 500)})
    features = gauger.prepare(table, key="who", features=[], categories=["few", "many"])
    variances = features.values.var(axis=0)
    assert variances[:2].sum() == pytest.approx(1.0)
    assert variances[2:].sum() == pytest.approx(1.0)


def test_under_minmax_two_levels_are_as_far_apart_as_the_ends_of_a_scale() -> None:
    features = gauger.prepare(TABLE, key="who", features=[], categories=["area"], scale="minmax")
    for one, other in itertools.combinations((0, 1, 3), 2):
        assert np.linalg.norm(features.values[one] - features.values[other]) == pytest.approx(1.0)


def test_a_weight_counts_for_the_whole_category() -> None:
    plain = gauger.prepare(TABLE, key="who", features=[], categories=["area"])
    halved = gauger.prepare(TABLE, key="who", features=[], categories=["area"], weight={"area": 0.5})
    np.testing.assert_allclose(halved.values, plain.values / 2)


def test_missing_values_can_be_flagged() -> None:
    features = gauger.prepare(TABLE, key="who", features=["visits"], missing="median", flag_missing=["visits"])
    assert features.names == ("visits", "visits_is_missing")
    assert features.values[:, 1].tolist() == [0, 0, 0, 0, 1, 0]


def test_missing_levels_are_refused_dropped_or_no_level() -> None:
    gaps = TABLE.assign(area=TABLE["area"].where(TABLE["who"] > 0))
    asked = {"key": "who", "features": [], "categories": ["area"]}
    with pytest.raises(MissingValuesError, match=r"area \(1 of 6\)"):
        gauger.prepare(gaps, **asked)
    assert len(gauger.prepare(gaps, **asked, missing="drop").keys) == 5
    assert gauger.prepare(gaps, **asked, missing="zero").values[0].tolist() == [0.0] * 3
    with pytest.raises(SettingError, match="is not possible for the category 'area'"):
        gauger.prepare(gaps, **asked, missing="median")


@pytest.mark.parametrize(
    ("table", "settings", "message"),
    [
        (TABLE, {"categories": "area"}, "must be a list of names"),
        (TABLE, {"features": ["plan"], "categories": ["plan"]}, "'plan' is named twice"),
        (
            TABLE.assign(area_is_north=1),
            {"features": ["area_is_north"], "categories": ["area"]},
            "would both be called",
        ),
        (TABLE.assign(area=[*"aAbcde"]), {"features": [], "categories": ["area"]}, "would both be called area_is_a"),
    ],
)
def test_categories_that_cannot_be_indicators_are_refused(
    table: pd.DataFrame, settings: dict[str, object], message: str
) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.prepare(table, key="who", **settings)


def test_too_many_levels_are_refused() -> None:
    table = pd.DataFrame({"who": range(100), "name": [f"n{row}" for row in range(100)]})
    with pytest.raises(SettingError, match="100 levels, more than the 60"):
        gauger.prepare(table, key="who", features=[], categories=["name"])
