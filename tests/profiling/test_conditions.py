"""Conditions are a small language of their own: against pandas' own comparisons, and never run as code."""

import contextlib

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import ColumnValuesError, SettingError, UnknownColumnError
from gauger.profiling.conditions import rows_that_meet

TABLE = pd.DataFrame(
    {
        "visits": [1, 5, 9, 12],
        "spend total": [10.0, np.nan, 30.0, 5.0],
        "area": ["north", "south", None, "it's"],
        "member": [True, False, True, False],
        "joined": pd.to_datetime(["2024-01-01", "2025-03-04", None, "2025-12-31"]),
    }
)


@pytest.mark.parametrize(
    ("condition", "rows"),
    [
        ("visits >= 9", [2, 3]),
        ("9 <= visits", [2, 3]),
        ("1 < visits <= 9", [1, 2]),
        ("visits == 5 or visits == 12 and member", [1]),
        ("(visits == 5 or visits == 12) and not member", [1, 3]),
        ("`spend total` > 8", [0, 2]),
        ("not `spend total` > 8", [1, 3]),
        ("`spend total` != 10", [2, 3]),
        ("area in ('north', \"it's\")", [0, 3]),
        ("area not in ['north']", [1, 3]),
        ("area == 'south' AND visits < 1e2", [1]),
        ("visits > `spend total`", [3]),
        ("joined >= '2025-03-04'", [1, 3]),
        ("member == true", [0, 2]),
        ("member", [0, 2]),
        ("visits > -1.5", [0, 1, 2, 3]),
    ],
)
def test_a_condition_picks_its_rows(condition: str, rows: list[int]) -> None:
    assert np.flatnonzero(rows_that_meet(TABLE, condition)).tolist() == rows


@pytest.mark.parametrize(
    ("condition", "error", "words"),
    [
        ("(", SettingError, "it ends where a column or a value should stand"),
        ("", SettingError, "it ends where a column"),
        ("1/0", SettingError, "'/' has no meaning there"),
        ("visits = 3", SettingError, "write == to compare"),
        ("visits > 3 & member", SettingError, "write and, or"),
        ("visitz > 3", UnknownColumnError, "did you mean 'visits'"),
        ("visits", SettingError, "'visits' alone is neither true nor false"),
        ("3 > 2", SettingError, "compares two values, and no column"),
        ("area > 3", ColumnValuesError, "'area' holds text, which cannot be compared with 3:"),
        ("visits == 'many'", ColumnValuesError, "'visits' holds numbers"),
        ("joined > 3", ColumnValuesError, "'joined' holds dates"),
        ("joined > 'soon'", ColumnValuesError, "'joined' holds dates"),
        ("area == 'north", SettingError, "a quote is not closed"),
        ("! member", SettingError, "write not, or != for another value"),
        ("member & member", SettingError, "write and, or"),
        ("visits in (area)", SettingError, "holds values, not columns"),
        ("visits > 3 area", SettingError, "'area' was not expected there"),
        ("visits > 10**100000000", SettingError, "has no meaning"),
        ("__import__('os').system('true')", SettingError, "'.' has no meaning"),
        ("__import__('os')", UnknownColumnError, "no column '__import__'"),
        ("visits.to_csv('x')", SettingError, "has no meaning"),
        ("@pd.eval('1')", SettingError, "'@' has no meaning"),
        ("(" * 500 + "visits" + ")" * 500, SettingError, "nested more than 100 deep"),
        ("not " * 100 + "member", SettingError, "nested more than 100 deep"),
        (" + ".join(["1"] * 9_000), SettingError, "characters, more than"),
    ],
)
def test_what_is_no_condition_is_answered_in_words(condition: str, error: type[Exception], words: str) -> None:
    with pytest.raises(error, match=words.replace("(", r"\(").replace("*", r"\*")):
        rows_that_meet(TABLE, condition)


@given(st.text(st.sampled_from("visits areamember`'\"()[]<>=!&|@.+-*/,0123456789 andornotin_"), max_size=40))
def test_any_text_is_a_condition_or_a_message(text: str) -> None:
    with contextlib.suppress(gauger.GaugerError):
        assert rows_that_meet(TABLE, text).shape == (4,)


@given(
    st.lists(
        st.tuples(st.sampled_from(["<", "<=", ">", ">=", "==", "!="]), st.integers(-2, 14)), min_size=1, max_size=4
    ),
    st.sampled_from(["and", "or"]),
)
def test_comparisons_are_those_of_the_column(parts: list[tuple[str, int]], word: str) -> None:
    condition = f" {word} ".join(f"visits {sign} {value}" for sign, value in parts)
    masks = [
        TABLE["visits"].map(lambda own, sign=sign, value=value: eval(f"{own} {sign} {value}")) for sign, value in parts
    ]
    expected = np.logical_and.reduce(masks) if word == "and" else np.logical_or.reduce(masks)
    assert rows_that_meet(TABLE, condition).tolist() == list(expected)
