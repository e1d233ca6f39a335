"""Columns of a table as the numbers that features are made of: measures as they are, categories as indicators."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from pandas.api import types

from gauger.columns import MOST_EXACT, MOST_LEVELS, Values
from gauger.errors import ColumnValuesError, SettingError
from gauger.features.category_levels import Level
from gauger.wording import listed

LARGEST = 1e150
"""Beyond this, squared distances would overflow."""


@dataclass(frozen=True)
class Indicator:
    """A feature that is 1 where a column has a level, or where it has no value (level None), and 0 elsewhere.

    A level has a gap where its column has one. `weight` is how much the whole category is to count.
    """

    column: str
    level: Level | None
    weight: float = 1.0

    @property
    def name(self) -> str:
        """What the feature is called, such as area_is_north."""
        return f"{self.column}_is_{'missing' if self.level is None else self.level.name}"

    def of(self, table: pd.DataFrame) -> Values:
        """The feature's values (n_rows,)."""
        column = table[self.column]
        if self.level is None:
            return np.asarray(column.isna(), dtype=np.float64)
        return np.where(column.isna(), np.nan, self.level.within(column))


def level_indicators(column: str, levels: Sequence[Level], weight: float = 1.0) -> dict[str, Indicator]:
    """An indicator for every level of a category, by name, in order of the level."""
    if len(levels) > MOST_LEVELS:
        raise SettingError(
            f"{column!r} has {len(levels):,} levels, more than the {MOST_LEVELS} that make sense as features. Group "
            "them into fewer, or leave the column out."
        )
    found = [Indicator(column, level, weight) for level in levels]
    named = {indicator.name: indicator for indicator in found}
    if len(named) < len(found):
        names = [indicator.name for indicator in found]
        twice = sorted({name for name in names if names.count(name) > 1})
        raise SettingError(f"two levels of {column!r} would both be called {listed(twice)}. Spell them apart.")
    return named


def as_numbers(table: pd.DataFrame, name: str, indicators: Mapping[str, Indicator]) -> Values:
    """One feature's raw values (n_rows,), NaN for gaps; raises ColumnValuesError for what is no finite number."""
    return indicators[name].of(table) if name in indicators else _measure(table[name], name)


def numeric_columns(table: pd.DataFrame, key: str) -> Sequence[str]:
    """The columns that can be features as they are."""
    return [name for name in table.columns if name != key and types.is_numeric_dtype(table[name])]


def beyond_exactness(low: float, high: float) -> str | None:
    """Why whole numbers from low to high cannot be worked with; None where they can."""
    if max(abs(low), abs(high)) <= MOST_EXACT:
        return None
    return (
        f"holds whole numbers beyond {MOST_EXACT:,}, whose last digits would be lost. If it is an identifier, leave it "
        "out; if it is a measure, subtract a constant first, or measure in larger units"
    )


def refuse_beyond_exactness(name: str, low: float, high: float) -> None:
    """Raise ColumnValuesError for whole numbers that cannot be worked with."""
    why = beyond_exactness(low, high)
    if why is not None:
        raise ColumnValuesError(f"{name!r} {why}.")


def _measure(column: pd.Series, name: str) -> Values:
    if types.is_datetime64_any_dtype(column) or types.is_timedelta64_dtype(column):
        raise ColumnValuesError.dates(name)
    if types.is_complex_dtype(column):
        raise ColumnValuesError.not_numbers(name, column.head(3).tolist(), len(column))
    if not types.is_numeric_dtype(column):
        numbers = pd.to_numeric(column, errors="coerce")
        wrong = column[numbers.isna() & column.notna()]
        if not wrong.empty:
            raise ColumnValuesError.not_numbers(name, sorted(map(str, wrong.unique()))[:3], len(wrong))
        column = numbers
    values: Values = column.to_numpy(dtype=np.float64, na_value=np.nan)
    low, high = float(np.nanmin(values, initial=0.0)), float(np.nanmax(values, initial=0.0))
    if types.is_integer_dtype(column):
        refuse_beyond_exactness(name, low, high)
    if not max(abs(low), abs(high)) <= LARGEST:
        infinite = np.flatnonzero(np.abs(values) > LARGEST)
        raise ColumnValuesError.infinite(name, infinite[:3].tolist(), infinite.size)
    return values
