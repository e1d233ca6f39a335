"""Guess what part each column plays: key, measure, count, flag, category, ordinal code, date, text or constant."""

import re
from dataclasses import dataclass

import numpy as np
import pandas as pd
from pandas.api import types

_KEY_NAME = re.compile(r"(^|_)(id|key|no|nr|number|uuid)$|(Id|ID|Key|No)$")
_OTHER_KEY_NAME = re.compile(r"(^|_)(id|key|uuid)$")
_ORDINAL_NAME = re.compile(r"(^|_)(band|score|rating|level|class|grade|rank|code|answer|step|tier)(_|$)", re.IGNORECASE)
_FLAG_WORDS = frozenset({"0", "1", "y", "n", "yes", "no", "true", "false", "t", "f"})
_MOST_LEVELS = 60


@dataclass(frozen=True)
class Role:
    """A guessed role and, in a few words, what the guess rests on."""

    name: str
    because: str


def guess_role(column: pd.Series, name: str, *, key: str | None = None) -> Role:
    """The role of one column; `key` names the customers' key, when it is known."""
    present = column.dropna()
    distinct = int(present.nunique())
    if key is not None and name == key:
        return Role("key", "named as the key")
    if present.empty:
        return Role("empty", "no value at all")
    if distinct == 1:
        return Role("constant", "one value for everyone")
    if types.is_datetime64_any_dtype(column):
        return Role("date", "dates")
    if _is_flag(present, distinct):
        return Role("flag", "two values, yes or no")
    if is_identifier(column, name):
        return Role("key", "different in every row")
    if _OTHER_KEY_NAME.search(name) and distinct >= 20 and not types.is_float_dtype(column):
        return Role("key", "named like a key, though it repeats")
    if holds_numbers(column):
        return _numeric_role(present, name, distinct)
    if distinct <= _MOST_LEVELS and distinct <= max(len(present) / 4, 2):
        return Role("category", f"text with {distinct} values")
    return Role("text", f"text with {distinct:,} values")


def named_like_a_key(name: str) -> bool:
    """Whether a column's name is that of a key or a number of rows, such as visit_id or orderNo."""
    return _KEY_NAME.search(name) is not None


def is_identifier(column: pd.Series, name: str) -> bool:
    """Whether a column names its rows: never missing, never repeated, and numbered, short codes or named like a key."""
    if len(column) < 3 or bool(column.isna().any()) or not bool(column.is_unique):
        return False
    if types.is_float_dtype(column) or types.is_datetime64_any_dtype(column):
        return False
    named = named_like_a_key(name)
    if types.is_integer_dtype(column):
        numbered = len(column) >= 20 and int(column.max()) - int(column.min()) == len(column) - 1
        return named or numbered
    text = column.astype(str)
    return named or bool((text.str.fullmatch(r"[\w\-]{1,36}") & text.str.contains(r"\d")).all())


def is_ordinal_code(column: pd.Series, name: str) -> bool:
    """Whether whole numbers look like the steps of a scale: a few consecutive small numbers, or a telling name."""
    present = column.dropna()
    if not types.is_integer_dtype(column) or present.empty:
        return False
    low, high, distinct = int(present.min()), int(present.max()), int(present.nunique())
    if not (low >= 0 and high <= 10 and 3 <= distinct <= 11):
        return False
    if _ORDINAL_NAME.search(name):
        return True
    steps = low == 1 and distinct == high <= 7 and len(present) >= 10 * distinct
    return steps and abs(skewness(present)) < 1.0


def holds_numbers(column: pd.Series) -> bool:
    """Whether a column holds real numbers, flags apart."""
    return types.is_any_real_numeric_dtype(column)


def skewness(present: pd.Series) -> float:
    """Skew of numbers without gaps: 0 when symmetric, positive with a long tail of large values; NaN when undefined."""
    numbers = present.to_numpy(dtype=np.float64)
    if len(numbers) < 3 or numbers.min() == numbers.max():
        return np.nan
    return float(pd.Series(numbers).skew())  # type: ignore[arg-type]


def _is_flag(present: pd.Series, distinct: int) -> bool:
    if distinct != 2:
        return False
    return types.is_bool_dtype(present) or {str(value).lower() for value in present.unique()} <= _FLAG_WORDS


def _numeric_role(present: pd.Series, name: str, distinct: int) -> Role:
    if types.is_integer_dtype(present):
        if is_ordinal_code(present, name):
            return Role("ordinal code", f"{distinct} steps from {present.min()} to {present.max()}")
        if int(present.min()) in (0, 1):
            return Role("count", f"whole numbers from {present.min()} up")
        return Role("measure", "whole numbers")
    return Role("measure", "decimal numbers")
