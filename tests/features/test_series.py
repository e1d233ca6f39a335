"""Long tables to one row an entity: gaps, periods nobody has, unequal lengths."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import ColumnValuesError, KeyColumnError, MissingValuesError, SettingError

WEEKS = pd.DataFrame(
    {
        "house": ["b", "b", "b", "a", "a", "a"],
        "week": pd.to_datetime(["2025-01-06", "2025-01-13", "2025-02-03"] * 2),
        "admissions": [10, 20, 50, 1, 2, 5],
    }
)
ASKED = {"entity": "house", "period": "week", "value": "admissions"}


def test_periods_that_nobody_has_are_put_in_filled_and_named() -> None:
    wide = gauger.pivot_series(WEEKS, **ASKED, missing="interpolate")
    assert wide.columns.tolist() == ["house", "2025-01-06", "2025-01-13", "2025-01-20", "2025-01-27", "2025-02-03"]
    assert wide.to_numpy().tolist() == [["a", 1, 2, 3, 4, 5], ["b", 10, 20, 30, 40, 50]]
    (remark,) = gauger.remarks_of(wide)
    assert remark.code == "periods-missing"
    assert "2025-01-20 and 2025-01-27" in remark.text


@pytest.mark.parametrize(
    ("rule", "expected"),
    [
        ("zero", [0, 2, 0, 0, 8, 0]),
        ("carry", [2, 2, 2, 2, 8, 8]),
        ("interpolate", [2, 2, 4, 6, 8, 8]),
    ],
)
def test_gaps_become_what_they_are_told(rule: str, expected: list[float]) -> None:
    long = pd.DataFrame({"who": ["a", "a", *["b"] * 6], "n": [2, 5, 1, 2, 3, 4, 5, 6], "v": [2, 8, 1, 1, 1, 1, 1, 1]})
    wide = gauger.pivot_series(long, entity="who", period="n", value="v", missing=rule)
    assert wide.iloc[0, 1:].tolist() == expected
    (remark,) = gauger.remarks_of(wide)
    assert remark.code == "unequal-lengths"
    assert "1 begin later than the others (a) and 1 end earlier (a)" in remark.text


@given(st.permutations(range(6)))
def test_the_order_of_rows_does_not_matter(order: list[int]) -> None:
    expected = gauger.pivot_series(WEEKS, **ASKED, missing="carry")
    pd.testing.assert_frame_equal(gauger.pivot_series(WEEKS.iloc[order], **ASKED, missing="carry"), expected)


def test_text_periods_and_uneven_dates_are_taken_as_they_are() -> None:
    long = pd.DataFrame({"who": ["a"] * 3, "when": ["x", "y", "z"], "v": [1, 2, 3]})
    assert gauger.pivot_series(long, entity="who", period="when", value="v").columns.tolist() == ["who", "x", "y", "z"]
    uneven = long.assign(when=pd.to_datetime(["2025-01-01", "2025-02-01", "2025-03-01"]))
    assert gauger.pivot_series(uneven, entity="who", period="when", value="v").shape == (1, 4)


@pytest.mark.parametrize(
    ("table", "settings", "error", "message"),
    [
        (WEEKS, {}, MissingValuesError, "4 of 10 values are missing, first of all 'a' in 2025-01-20"),
        (pd.concat([WEEKS, WEEKS.iloc[:1]]), {}, KeyColumnError, "house 'b' has two values in week 2025-01-06"),
        (WEEKS, {"missing": "zeros"}, SettingError, "Did you mean 'zero'"),
        (WEEKS.assign(admissions="many"), {}, ColumnValuesError, "not a number"),
        (WEEKS.iloc[:0], {}, SettingError, "no rows"),
        (
            WEEKS.assign(admissions=[np.nan] * 3 + [1, 2, 3]),
            {"missing": "carry"},
            ColumnValuesError,
            "'b' has no value in any period",
        ),
        (WEEKS.assign(house=[None] * 6), {}, KeyColumnError, "missing in 6 rows"),
    ],
)
def test_what_cannot_be_pivoted_is_refused(
    table: pd.DataFrame, settings: dict[str, str], error: type[Exception], message: str
) -> None:
    with pytest.raises(error, match=message):
        gauger.pivot_series(table, **{**ASKED, **settings})


def test_the_demo_houses_come_out_whole() -> None:
    weekly = gauger.read_table(gauger.demo_file("weekly_admissions.csv"))
    wide = gauger.pivot_series(weekly, **ASKED, missing="interpolate")
    assert wide.shape == (48, 105)
    assert not wide.isna().any().any()


def _weeks(known: list[int], entities: int = 40) -> pd.DataFrame:
    """A long table in which so many of the entities have a value in each week."""
    rows = [(entity, week, 5.0) for week, many in enumerate(known, 1) for entity in range(entities - many, entities)]
    return pd.DataFrame(rows, columns=["house", "week", "admissions"])


@pytest.mark.parametrize(
    ("known", "short"),
    [
        ([10, 40, 40, 38, 40], ["1"]),
        ([20, 40, 40, 40], ["1"]),
        ([21, 40, 40, 40], []),
        ([40, 40, 40, 40, 12], ["5"]),
        ([10, 40, 40, 40, 9], ["1", "5"]),
        ([10, 20, 30, 40, 40], []),
        ([10, 40, 40], []),
        ([40, 10, 40, 40, 40], []),
    ],
)
def test_a_first_or_last_period_that_was_cut_short_is_named(known: list[int], short: list[str]) -> None:
    made = gauger.pivot_series(_weeks(known), entity="house", period="week", value="admissions", missing="zero")
    said = [remark for remark in gauger.remarks_of(made) if remark.code == "period-short"]
    assert [name for remark in said for name in remark.features] == short


def test_zeros_that_were_asked_for_are_not_called_no_observation() -> None:
    long = _weeks([40, 40, 40, 40]).drop(index=0)
    for rule, sentence in (("zero", "Their ends count as 0"), ("carry", "is not an observation")):
        made = gauger.pivot_series(long, entity="house", period="week", value="admissions", missing=rule)
        (said,) = (remark.text for remark in gauger.remarks_of(made) if remark.code == "unequal-lengths")
        assert sentence in said
