"""Guess what part each column plays: key, measure, count, flag, category, ordinal code, date, text or constant."""

import re
from dataclasses import dataclass

import numpy as np
import pandas as pd
from pandas.api import types

from gauger.algorithms.statistics import skewness
from gauger.columns.facts import ColumnFacts

_KEY_NAME = re.compile(r"(^|_)(id|key|no|nr|number|uuid)$|(Id|ID|Key|No)$")
_OTHER_KEY_NAME = re.compile(r"(^|_)(id|key|uuid)$")
_ORDINAL_NAME = re.compile(r"(^|_)(band|score|rating|level|class|grade|rank|code|answer|step|tier)(_|$)", re.IGNORECASE)
_COUNT_NAME = re.compile(r"(^|_)(distinct|count|number|visits|orders|calls|seats|days|n)(_|$)", re.IGNORECASE)
_AMOUNT_NAME = re.compile(
    r"(^|_)(spend|spent|amount|revenue|income|sales|price|cost|value|balance|paid|salary|turnover|points|km|meters|views)"
    r"(_|$)",
    re.IGNORECASE,
)
_FEWEST_NUMBERED, _CARD_DIGITS, _ROUND = 20, 6, 0.3
"""Rows from which whole numbers that never repeat are taken for identifiers, the digits that those have, and the share
of round tens from which they are amounts: judgement."""
_FLAG_WORDS = frozenset({"0", "1", "y", "n", "yes", "no", "true", "false", "t", "f"})
MOST_LEVELS = 60
"""More levels than this are no category."""


@dataclass(frozen=True)
class Role:
    """A guessed role and, in a few words, what the guess rests on."""

    name: str
    because: str


def guess_role(column: pd.Series, name: str, *, key: str | None = None, facts: ColumnFacts | None = None) -> Role:
    """The role of one column; `key` names the customers' key, `facts` are those of its numbers, if known."""
    present = column.dropna()
    facts = facts or facts_of(column)
    distinct = int(present.nunique()) if facts is None else facts.distinct
    if key is not None and name == key:
        return Role("key", "named as the key")
    if present.empty:
        return Role("empty", "no value at all")
    if distinct == 1:
        return Role("constant", f"always {present.iloc[0]}")
    if types.is_datetime64_any_dtype(column):
        return Role("date", "dates")
    if _is_flag(present, distinct):
        return Role("flag", "two values, yes or no")
    if is_identifier(column, name):
        return Role("key", "different in every row")
    if _OTHER_KEY_NAME.search(name) and distinct >= 20 and not types.is_float_dtype(column):
        return Role("key", "named like a key, though it repeats")
    if facts is not None:
        return _numeric_role(column, name, facts)
    if distinct <= MOST_LEVELS and distinct <= max(len(present) / 4, 2):
        return Role("category", f"text with {distinct} values")
    return Role("text", f"text with {distinct:,} values")


def named_like_a_key(name: str) -> bool:
    """Whether a column's name is that of a key or a number of rows, such as visit_id or orderNo."""
    return _KEY_NAME.search(name) is not None


def is_identifier(column: pd.Series, name: str) -> bool:
    """Whether a column names its rows: never missing, never repeated, and numbered, short codes or named like a key."""
    if len(column) < 3 or types.is_float_dtype(column) or types.is_datetime64_any_dtype(column):
        return False
    if bool(column.isna().any()) or not bool(column.is_unique):
        return False
    named = named_like_a_key(name)
    if types.is_integer_dtype(column):
        numbered = len(column) >= _FEWEST_NUMBERED and int(column.max()) - int(column.min()) == len(column) - 1
        return named or numbered or (len(column) >= _FEWEST_NUMBERED and _like_card_numbers(column, name))
    text = column.astype(str)
    return named or bool((text.str.fullmatch(r"[\w\-]{1,36}") & text.str.contains(r"\d")).all())


def _like_card_numbers(column: pd.Series, name: str) -> bool:
    """Whether whole numbers that never repeat all have as many digits, six or more, and are no round amounts."""
    low, high = int(column.min()), int(column.max())
    digits = len(str(high))
    if low <= 0 or len(str(low)) != digits or digits < _CARD_DIGITS or _AMOUNT_NAME.search(name):
        return False
    return bool((column % 10 == 0).mean() < _ROUND)


def is_ordinal_code(column: pd.Series, name: str, facts: ColumnFacts) -> bool:
    """Whether whole numbers look like the steps of a scale: a few consecutive small numbers, or a telling name."""
    if not types.is_integer_dtype(column) or not len(facts.ordered):
        return False
    if not (facts.low >= 0 and facts.high <= 10 and 3 <= facts.distinct <= 11):
        return False
    if _ORDINAL_NAME.search(name):
        return True
    steps = facts.low == 1 and facts.distinct == facts.high <= 7 and len(facts.ordered) >= 10 * facts.distinct
    return steps and not _COUNT_NAME.search(name) and abs(skewness(facts.ordered)) < 1.0


def facts_of(column: pd.Series) -> ColumnFacts | None:
    """The facts of a column of numbers, None for any other."""
    return ColumnFacts.of(column.to_numpy(dtype=np.float64, na_value=np.nan)) if holds_numbers(column) else None


def holds_numbers(column: pd.Series) -> bool:
    """Whether a column holds real numbers, flags apart."""
    return types.is_any_real_numeric_dtype(column)


def _is_flag(present: pd.Series, distinct: int) -> bool:
    if distinct != 2:
        return False
    return types.is_bool_dtype(present) or {str(value).lower() for value in present.unique()} <= _FLAG_WORDS


def _numeric_role(column: pd.Series, name: str, facts: ColumnFacts) -> Role:
    if types.is_integer_dtype(column):
        if is_ordinal_code(column, name, facts):
            return Role("ordinal code", f"{facts.distinct} steps from {facts.low:.0f} to {facts.high:.0f}")
        if facts.low in (0.0, 1.0):
            return Role("count", f"whole numbers from {facts.low:.0f} up")
        return Role("measure", "whole numbers")
    return Role("measure", "decimal numbers")
