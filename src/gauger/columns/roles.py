"""Guess what part each column plays: key, measure, count, flag, category, ordinal code, date, text or constant."""

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

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


class Traits(Protocol):
    """What a role is guessed from; what is dear to find out is asked for last."""

    @property
    def name(self) -> str:
        """What the column is called."""

    @property
    def present(self) -> int:
        """How many rows have a value."""

    @property
    def distinct(self) -> int:
        """How many different values there are."""

    @property
    def any_value(self) -> object:
        """A value, of which there is one."""

    @property
    def is_date(self) -> bool:
        """Whether values are dates."""

    @property
    def is_flag(self) -> bool:
        """Whether there are two values, yes and no."""

    @property
    def is_identifier(self) -> bool:
        """Whether values name their rows."""

    @property
    def is_fraction(self) -> bool:
        """Whether values are numbers of floating point."""

    @property
    def numbers(self) -> "NumberTraits | None":
        """What is known of numbers; None for what are none."""


@dataclass(frozen=True)
class NumberTraits:
    """Numbers, perhaps whole ones: how many, from where to where, and how to find their skew."""

    whole: bool
    known: int
    distinct: int
    low: float
    high: float
    skew: Callable[[], float]


def role_of(traits: Traits, key: str | None) -> Role:
    """The role of a column with some traits; `key` names the customers' key."""
    if key is not None and traits.name == key:
        return Role("key", "named as the key")
    if not traits.present:
        return Role("empty", "no value at all")
    if traits.distinct == 1:
        return Role("constant", f"always {traits.any_value}")
    if traits.is_date:
        return Role("date", "dates")
    if traits.is_flag:
        return Role("flag", "two values, yes or no")
    if traits.is_identifier:
        return Role("key", "different in every row")
    if _OTHER_KEY_NAME.search(traits.name) and traits.distinct >= 20 and not traits.is_fraction:
        return Role("key", "named like a key, though it repeats")
    if traits.numbers is not None:
        return _numeric_role(traits.name, traits.numbers)
    if traits.distinct <= MOST_LEVELS and traits.distinct <= max(traits.present / 4, 2):
        return Role("category", f"text with {traits.distinct} values")
    return Role("text", f"text with {traits.distinct:,} values")


@dataclass(frozen=True, eq=False)
class _SeriesTraits:
    """The traits of a column in memory."""

    name: str
    column: pd.Series
    facts: ColumnFacts | None

    @cached_property
    def _values(self) -> pd.Series:
        return self.column.dropna()

    @property
    def present(self) -> int:
        return len(self._values)

    @cached_property
    def distinct(self) -> int:
        return int(self._values.nunique()) if self.facts is None else self.facts.distinct

    @property
    def any_value(self) -> object:
        return self._values.iloc[0]

    @property
    def is_date(self) -> bool:
        return types.is_datetime64_any_dtype(self.column)

    @property
    def is_flag(self) -> bool:
        return self.distinct == 2 and (types.is_bool_dtype(self._values) or are_flags(self._values.unique()))

    @property
    def is_identifier(self) -> bool:
        return is_identifier(self.column, self.name)

    @property
    def is_fraction(self) -> bool:
        return types.is_float_dtype(self.column)

    @property
    def numbers(self) -> NumberTraits | None:
        return None if self.facts is None else _numbers_of(self.column, self.facts)


def _numbers_of(column: pd.Series, facts: ColumnFacts) -> NumberTraits:
    ends = (facts.low, facts.high) if len(facts.ordered) else (np.nan, np.nan)
    whole = types.is_integer_dtype(column)
    return NumberTraits(whole, len(facts.ordered), facts.distinct, *ends, lambda: skewness(facts.ordered))


def guess_role(column: pd.Series, name: str, *, key: str | None = None, facts: ColumnFacts | None = None) -> Role:
    """The role of one column; `key` names the customers' key, `facts` are those of its numbers, if known."""
    return role_of(_SeriesTraits(name, column, facts or facts_of(column)), key)


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
        ends = int(column.min()), int(column.max())
        return named or numbers_name_rows(name, len(column), *ends, lambda: float((column % 10 == 0).mean()))
    text = column.astype(str)
    return named or bool((text.str.fullmatch(r"[\w\-]{1,36}") & text.str.contains(r"\d")).all())


def numbers_name_rows(name: str, rows: int, low: int, high: int, round_share: Callable[[], float]) -> bool:
    """Whether whole numbers that never repeat are identifiers: numbered through, or all of as many digits, six or more,
    and no round amounts; `round_share` is how many of them are round tens."""
    if rows < _FEWEST_NUMBERED or high - low == rows - 1:
        return rows >= _FEWEST_NUMBERED
    digits = len(str(high))
    cards = low > 0 and len(str(low)) == digits and digits >= _CARD_DIGITS and not _AMOUNT_NAME.search(name)
    return cards and round_share() < _ROUND


def is_ordinal_code(column: pd.Series, name: str, facts: ColumnFacts) -> bool:
    """Whether whole numbers look like the steps of a scale: a few consecutive small numbers, or a telling name."""
    return _are_steps(name, _numbers_of(column, facts))


def _are_steps(name: str, numbers: NumberTraits) -> bool:
    if not numbers.whole or not numbers.known:
        return False
    if not (numbers.low >= 0 and numbers.high <= 10 and 3 <= numbers.distinct <= 11):
        return False
    if _ORDINAL_NAME.search(name):
        return True
    steps = numbers.low == 1 and numbers.distinct == numbers.high <= 7 and numbers.known >= 10 * numbers.distinct
    return steps and not _COUNT_NAME.search(name) and abs(numbers.skew()) < 1.0


def facts_of(column: pd.Series) -> ColumnFacts | None:
    """The facts of a column of numbers, None for any other."""
    return ColumnFacts.of(column.to_numpy(dtype=np.float64, na_value=np.nan)) if holds_numbers(column) else None


def holds_numbers(column: pd.Series) -> bool:
    """Whether a column holds real numbers, flags apart."""
    return types.is_any_real_numeric_dtype(column)


def are_flags(values: Iterable[object]) -> bool:
    """Whether values are words for yes and no."""
    return {str(value).lower() for value in values} <= _FLAG_WORDS


def _numeric_role(name: str, numbers: NumberTraits) -> Role:
    if numbers.whole:
        if _are_steps(name, numbers):
            return Role("ordinal code", f"{numbers.distinct} steps from {numbers.low:.0f} to {numbers.high:.0f}")
        if numbers.low in (0.0, 1.0):
            return Role("count", f"whole numbers from {numbers.low:.0f} up")
        return Role("measure", "whole numbers")
    return Role("measure", "decimal numbers")
