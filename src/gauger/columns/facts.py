"""What there is to know of a numeric column, from one sort of its values."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]

LONG_TAIL = 2.0
"""The skew from which a tail is called long."""
NEARLY_ALL = 0.95
"""The share of rows with one and the same value from which a column is called near-constant."""
SENTINELS = (-1.0, -9.0, -99.0, -999.0, -9999.0, 99.0, 999.0, 9999.0, 99999.0, 999999.0)
"""Numbers that systems write where there is no value."""
MOST_EXACT = 2**53
"""Whole numbers beyond this are not all told apart by a floating-point number of 64 bits."""


@dataclass(frozen=True, eq=False)
class ColumnFacts:
    """A column's `ordered` values, ascending and without gaps, and the number of `rows` with and without a value."""

    ordered: Values
    rows: int

    @classmethod
    def of(cls, values: Values) -> "ColumnFacts":
        """The facts of values (n_rows,) in which NaN is a gap."""
        ordered = np.sort(values)  # gaps come last
        return cls(ordered[: int(np.searchsorted(ordered, np.nan))], len(values))

    @property
    def missing(self) -> int:
        """The number of gaps."""
        return self.rows - len(self.ordered)

    @property
    def low(self) -> float:
        """The smallest value."""
        return float(self.ordered[0])

    @property
    def high(self) -> float:
        """The largest value."""
        return float(self.ordered[-1])

    @cached_property
    def _first_of_runs(self) -> NDArray[np.intp]:
        changes = np.flatnonzero(self.ordered[1:] != self.ordered[:-1]) + 1
        return np.concatenate([np.zeros(min(1, len(self.ordered)), dtype=np.intp), changes])

    @property
    def distinct(self) -> int:
        """The number of different values."""
        return len(self._first_of_runs)

    @property
    def middle(self) -> tuple[float, int]:
        """The value in the middle, and in how many rows it stands: of most rows' value, if there is one, this is it."""
        value = self.ordered[len(self.ordered) // 2]
        first, last = (int(np.searchsorted(self.ordered, value, side)) for side in ("left", "right"))
        return float(value), last - first

    def quantile(self, share: float) -> float:
        """The value below which a share of the values lies, interpolated between neighbours."""
        index = share * (len(self.ordered) - 1)
        below = int(index)
        above = min(below + 1, len(self.ordered) - 1)
        low, high = float(self.ordered[below]), float(self.ordered[above])
        return low if low == high else low + (high - low) * (index - below)

    def with_filled(self, value: float) -> "ColumnFacts":
        """The facts once every gap has been given a value."""
        if not self.missing:
            return self
        index = int(np.searchsorted(self.ordered, value))
        return ColumnFacts(np.insert(self.ordered, index, np.full(self.missing, value)), self.rows)

    @property
    def sentinel(self) -> float | None:
        """An extreme value that looks like a stand-in for none: it repeats, and lies apart from all the others."""
        if self.distinct < 3:
            return None
        starts = self._first_of_runs
        least, second, second_largest, largest = (float(self.ordered[starts[index]]) for index in (0, 1, -2, -1))
        if least in SENTINELS and least < 0.0 <= second and starts[1] > 1:
            return least
        repeats = len(self.ordered) - int(starts[-1])
        return (
            largest
            if largest in SENTINELS and least >= 0.0 and 2.0 * second_largest <= largest and repeats > 1
            else None
        )
