"""Other customers under treatments that were learned before."""

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import MissingValuesError, UnknownColumnError

TABLE = pd.DataFrame(
    {
        "who": range(6),
        "visits": [1.0, 2.0, 3.0, 4.0, 5.0, 60.0],
        "age": [20.0, np.nan, 40.0, 50.0, 60.0, 70.0],
        "area": list("nnsswn"),
    }
)
LATER = pd.DataFrame({"who": [7, 8], "visits": [3.0, 900.0], "age": [np.nan, 30.0], "area": ["n", "elsewhere"]})


def _learned(**settings: object) -> gauger.FeatureSet:
    chosen = {"features": ["visits", "age"], "categories": ["area"], "missing": {"age": "median"}, "cap": (0.0, 0.9)}
    return gauger.prepare(TABLE, key="who", **{**chosen, "transform": {"visits": "log"}, **settings})


@pytest.mark.parametrize("scale", ["none", "zscore", "minmax", "robust", "rank"])
def test_the_same_customers_get_the_same_values_to_the_bit(scale: str) -> None:
    features = _learned(scale=scale, flag_missing=["age"])
    again = gauger.prepare_alike(TABLE, features)
    assert (again.values == features.values).all()
    pd.testing.assert_frame_equal(again.original, features.original)
    assert again.remarks == ()


def test_nothing_is_learned_anew_and_what_lies_outside_is_remarked() -> None:
    features = _learned(scale="minmax")
    later = gauger.prepare_alike(LATER, features)
    alone = gauger.prepare_alike(LATER.iloc[:1], features)
    np.testing.assert_array_equal(later.values[0], alone.values[0])
    assert later.original["age"].isna().tolist() == [True, False]
    assert later.restore(later.values)["age"][0] == pytest.approx(50.0)
    codes = {remark.code: remark for remark in later.remarks}
    assert codes["outside-learned-range"].features == ("visits",)
    assert "visits (1 beyond 1 … 60)" in codes["outside-learned-range"].text
    assert "area (elsewhere)" in codes["new-levels"].text
    assert later.values[1, 2:].tolist() == [0.0] * 3


def test_gaps_are_refused_or_dropped_as_they_were() -> None:
    gaps = LATER.assign(visits=[np.nan, 3.0])
    with pytest.raises(MissingValuesError, match=r"visits \(1 of 2\)"):
        gauger.prepare_alike(gaps, _learned())
    dropped = gauger.prepare_alike(gaps, _learned(missing={"visits": "drop", "age": "median"}))
    assert dropped.keys.tolist() == [8]
    assert "customers-left-out" in {remark.code for remark in dropped.remarks}


def test_a_category_without_a_value_is_refused_dropped_or_no_level_as_before() -> None:
    gaps = LATER.assign(visits=3.0, area=[None, "n"])
    with pytest.raises(MissingValuesError, match=r"missing values in area \(1 of 2\)"):
        gauger.prepare_alike(gaps, _learned())
    assert gauger.prepare_alike(gaps, _learned(missing={"age": "median", "area": "drop"})).keys.tolist() == [8]
    none = gauger.prepare_alike(gaps, _learned(missing={"age": "median", "area": "zero"}))
    assert none.values[0, 2:].tolist() == [0.0] * 3


def test_columns_that_were_learned_must_be_there() -> None:
    with pytest.raises(UnknownColumnError, match="there is no column 'area'"):
        gauger.prepare_alike(LATER.drop(columns="area"), _learned())


def _with_refund(rule: str) -> tuple[gauger.FeatureSet, pd.DataFrame]:
    table = pd.DataFrame({"who": list("abcd"), "spend": [0.0, 5.0, 20.0, 80.0], "visits": [1, 2, 3, 4]})
    learned = gauger.prepare(table, key="who", transform={"spend": "log"}, missing={"spend": rule})
    return learned, pd.DataFrame({"who": ["e", "f", "g"], "spend": [10.0, -3.0, -1.0], "visits": [2, 2, 2]})


def test_values_that_a_treatment_cannot_take_are_refused_by_name_and_number() -> None:
    learned, later = _with_refund("refuse")
    with pytest.raises(gauger.errors.ColumnValuesError, match=r"cannot take some values of spend \(2 of 3\)"):
        gauger.prepare_alike(later, learned)


def test_or_left_out_with_a_remark_where_customers_without_a_value_are() -> None:
    learned, later = _with_refund("drop")
    found = gauger.prepare_alike(later, learned)
    assert found.keys.tolist() == ["e"]
    assert np.isfinite(found.values).all()
    (remark,) = [one for one in found.remarks if one.code == "beyond-treatment"]
    assert remark.text.startswith("spend (2 customers) have values")
    with pytest.raises(gauger.errors.ColumnValuesError, match="cannot take"):
        gauger.prepare_alike(later.iloc[1:], learned)
