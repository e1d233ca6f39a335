"""Preparing features: each treatment, the way back, the remarks, and bad input."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

import gauger
from gauger.errors import (
    ColumnValuesError,
    KeyColumnError,
    MissingValuesError,
    SettingError,
    UnknownColumnError,
)
from gauger.features.treatments import NO_RANGE

TABLE = pd.DataFrame(
    {
        "who": ["a", "b", "c", "d"],
        "visits": [1, 2, 3, 10],
        "spend": [10.0, np.nan, 30.0, 50.0],
        "area": ["north", "south", "north", "east"],
    }
)


def _codes(features: gauger.FeatureSet) -> set[str]:
    return {remark.code for remark in features.remarks}


def _remark(features: gauger.FeatureSet, code: str) -> gauger.Remark:
    (remark,) = (remark for remark in features.remarks if remark.code == code)
    return remark


def test_zscore_and_minmax_follow_their_definitions() -> None:
    visits = TABLE["visits"].to_numpy()
    zscored = gauger.prepare(TABLE, key="who", features=["visits"])
    np.testing.assert_allclose(zscored.values[:, 0], (visits - 4.0) / np.sqrt(((visits - 4.0) ** 2).mean()))
    minmax = gauger.prepare(TABLE, key="who", features=["visits"], scale="minmax")
    np.testing.assert_allclose(minmax.values[:, 0], (visits - 1) / 9)


@pytest.mark.parametrize(("rule", "filled"), [("zero", 0.0), ("median", 30.0)])
def test_missing_values_become_what_they_are_said_to_mean(rule: str, filled: float) -> None:
    features = gauger.prepare(TABLE, key="who", features=["spend"], missing=rule, scale="none")
    assert features.values[:, 0].tolist() == [10.0, filled, 30.0, 50.0]
    assert features.treatments["spend"][0].text == f"1 missing set to {filled:g} ({rule})"


def test_dropping_leaves_the_customers_out_and_says_so() -> None:
    features = gauger.prepare(TABLE, key="who", missing={"spend": "drop"})
    assert features.keys.tolist() == ["a", "c", "d"]
    remark = next(remark for remark in features.remarks if remark.code == "customers-left-out")
    assert remark.text.startswith("1 of 4 customers lack a value in spend")


def test_caps_pull_the_extremes_in_before_scaling() -> None:
    features = gauger.prepare(TABLE, key="who", features=["visits"], cap=(0.0, 0.5), scale="none")
    assert features.values[:, 0].tolist() == [1.0, 2.0, 2.5, 2.5]
    assert features.original["visits"].tolist() == [1, 2, 3, 10]
    by_feature = gauger.prepare(TABLE, key="who", missing="zero", cap={"visits": (0.0, 0.5)}, scale="none")
    assert by_feature.values[:, 1].tolist() == [10.0, 0.0, 30.0, 50.0]


def test_settings_by_feature_leave_the_others_at_the_default() -> None:
    features = gauger.prepare(TABLE, key="who", missing={"spend": "median"}, scale={"visits": "none"})
    assert features.values[:, 0].tolist() == [1.0, 2.0, 3.0, 10.0]
    assert features.values[:, 1].mean() == pytest.approx(0.0)


numbers = arrays(np.float64, st.tuples(st.integers(2, 30), st.integers(1, 4)), elements=st.floats(-1e6, 1e6))


@given(numbers, st.sampled_from(["none", "zscore", "minmax"]))
def test_restoring_brings_every_value_back(array: np.ndarray, scale: str) -> None:
    table = pd.DataFrame(array, columns=[f"f{index}" for index in range(array.shape[1])])
    table.insert(0, "who", range(len(table)))
    features = gauger.prepare(table, key="who", scale=scale)
    largest = np.abs(array).max(axis=0)
    error = np.abs(features.restore(features.values).to_numpy() - array)
    assert (error <= 1e-12 * np.maximum(largest, 1e-300)).all()


@given(numbers)
@example(np.array([[5e-324], [0.0]]))
def test_scaled_features_are_finite_and_alike(array: np.ndarray) -> None:
    table = pd.DataFrame(array, columns=[f"f{index}" for index in range(array.shape[1])]).assign(who=range(len(array)))
    values = gauger.prepare(table, key="who").values
    assert np.isfinite(values).all()
    moving = array.max(axis=0) - array.min(axis=0) > NO_RANGE
    np.testing.assert_allclose(values.std(axis=0)[moving], 1.0, rtol=1e-6)


def test_the_table_is_not_modified_and_the_values_cannot_be() -> None:
    before = TABLE.copy()
    features = gauger.prepare(TABLE, key="who", missing="zero", cap=(0.1, 0.9))
    pd.testing.assert_frame_equal(TABLE, before)
    with pytest.raises(ValueError, match="read-only"):
        features.values[0, 0] = 1.0


def test_changing_the_table_afterwards_changes_no_feature() -> None:
    table = TABLE.assign(x=[1.0, 2.0, 3.0, 4.0])
    features = gauger.prepare(table, key="who", features=["x"])
    table.loc[0, "x"] = 99.0
    table.loc[0, "who"] = "z"
    assert features.original["x"].tolist() == [1.0, 2.0, 3.0, 4.0]
    assert features.keys.tolist() == ["a", "b", "c", "d"]


def test_raw_scales_are_remarked_with_the_feature_that_would_decide() -> None:
    table = pd.DataFrame({"who": list("abcd"), "visits": [1, 2, 3, 4], "spend": [100.0, 900.0, 400.0, 800.0]})
    remark = _remark(gauger.prepare(table, key="who", scale="none"), "raw-scales")
    assert "spend alone holds 100.0% of all variance" in remark.text
    assert "raw-scales" not in _codes(gauger.prepare(table, key="who"))


def test_identifiers_constants_and_columns_left_out_are_remarked() -> None:
    table = TABLE.assign(card_no=[7, 9, 12, 31], same=3.0)
    features = gauger.prepare(table, key="who", missing="zero")
    found = {"identifier": ("card_no",), "constant": ("same",), "columns-left-out": ("area",)}
    assert {code: _remark(features, code).features for code in found} == found


def test_a_feature_that_its_cap_makes_constant_is_remarked() -> None:
    table = pd.DataFrame({"who": range(100), "visits": range(100), "refunds": [0] * 98 + [1, 2]})
    remark = _remark(gauger.prepare(table, key="who", features=["refunds"], cap=(0.0, 0.9)), "constant")
    assert remark.text.startswith("refunds is, once capped or filled, the same for everyone")


def test_a_constant_feature_is_zero_on_the_working_scale() -> None:
    features = gauger.prepare(TABLE.assign(same=3.0), key="who", features=["same"])
    assert features.values[:, 0].tolist() == [0.0] * 4
    assert features.restore(features.values)["same"].tolist() == [3.0] * 4


@pytest.mark.parametrize(
    ("table", "settings", "error", "message"),
    [
        (TABLE, {"key": "whoo"}, UnknownColumnError, "did you mean 'who'"),
        (TABLE, {"features": ["vists"]}, UnknownColumnError, "did you mean 'visits'"),
        (TABLE, {"features": "visits"}, SettingError, "must be a list of names"),
        (TABLE, {"features": []}, SettingError, "features is empty"),
        (TABLE, {"features": [2]}, SettingError, "a column is named by text, not by 2"),
        (TABLE.to_numpy(), {}, SettingError, "this is a ndarray"),
        (TABLE, {"features": ["visits", "visits"]}, SettingError, "'visits' is named twice"),
        (TABLE, {"features": ["who"]}, SettingError, "cannot be a feature"),
        (TABLE, {}, MissingValuesError, r"spend \(1 of 4\).*'zero' if nothing happened"),
        (TABLE, {"missing": "zeros"}, SettingError, "Did you mean 'zero'"),
        (TABLE, {"missing": {"spnd": "zero"}}, SettingError, "missing speaks of 'spnd'"),
        (TABLE, {"missing": "zero", "cap": (0.9, 0.1)}, SettingError, "0 <= low < high <= 1"),
        (
            TABLE,
            {"features": ["area"]},
            ColumnValuesError,
            r"'area' has 4 values that are not a number, written like 'aaaa' and 'aaaaa'",
        ),
        (
            TABLE.assign(who=["a", "a", "b", "a"]),
            {},
            KeyColumnError,
            r"repeats in data rows 2 and 4 \(2 rows too many\)",
        ),
        (TABLE.assign(who=["a", None, "b", "c"]), {}, KeyColumnError, r"missing in 1 row \(data row 2\)"),
        (TABLE.assign(spend=np.nan), {}, ColumnValuesError, "'spend' has no value for any customer"),
        (
            TABLE.assign(spend=[1, np.inf, 2, 3]),
            {},
            ColumnValuesError,
            "'spend' is infinite or beyond measure in 1 row",
        ),
        (
            TABLE.assign(visits=TABLE["visits"] * 1e200),
            {"missing": "zero"},
            ColumnValuesError,
            "beyond measure in 4 rows",
        ),
        (
            TABLE.assign(visits=TABLE["visits"] + 1j),
            {"missing": "zero"},
            ColumnValuesError,
            "4 values that are not a number",
        ),
        (TABLE, {"missing": "zero", "cap": 0.9}, SettingError, r"cap=0\.9 must be two quantiles"),
        (TABLE.assign(on=pd.Timestamp("2025-01-01")), {"features": ["on"]}, ColumnValuesError, "holds dates or times"),
        (TABLE[["who", "area"]], {}, SettingError, "no numeric column besides 'who'"),
        (TABLE.iloc[:0], {}, SettingError, "no rows"),
        (
            TABLE.assign(visits=[1, 2, 3, None], spend=[None, None, None, 1]),
            {"missing": "drop"},
            MissingValuesError,
            "nobody",
        ),
    ],
)
def test_bad_requests_are_refused_with_what_to_do(
    table: pd.DataFrame, settings: dict[str, object], error: type[Exception], message: str
) -> None:
    with pytest.raises(error, match=message):
        gauger.prepare(table, **{"key": "who", **settings})


def test_text_that_is_all_numbers_is_taken_as_numbers() -> None:
    table = TABLE.assign(points=["1", "2", "3", "4"])
    assert gauger.prepare(table, key="who", features=["points"], scale="none").values[:, 0].tolist() == [1, 2, 3, 4]


def test_restoring_the_wrong_shape_is_refused() -> None:
    features = gauger.prepare(TABLE, key="who", features=["visits"])
    with pytest.raises(SettingError, match=r"1 features, not shape \(2, 3\)"):
        features.restore(np.zeros((2, 3)))


@pytest.mark.parametrize("scale", ["zscore", "minmax", "robust", "rank"])
@pytest.mark.parametrize("transform", ["none", "log", "power"])
def test_the_order_of_rows_changes_no_bit(scale: str, transform: str) -> None:
    rng = np.random.default_rng(0)
    table = pd.DataFrame({"who": range(500), "x": rng.gamma(1.3, 7.0, size=500).round(2)})
    table.loc[::50, "x"] = np.nan
    mixed = rng.permutation(500)
    one, other = (
        gauger.prepare(rows, key="who", missing="mean", cap=(0.0, 0.98), transform=transform, scale=scale)
        for rows in (table, table.iloc[mixed])
    )
    assert (one.values[mixed] == other.values).all()
