"""About where the quartiles of a column are, of customers who come in any number of blocks."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from gauger.columns import Values

_FINENESS = 32
"""Bins to each factor of e: an error of 1.6 %, far below what tells a change of unit."""
_FARTHEST = 750 * _FINENESS
"""Bins on each side of 1.0 that reach to the smallest and the largest number."""


class Quartiles(Protocol):
    """The quartiles (3,) of a column's `known` values."""

    @property
    def known(self) -> int:
        """How many values there are."""

    @property
    def quartiles(self) -> Values:
        """A quarter, half and three quarters of them are below."""


@dataclass(frozen=True, eq=False)
class Magnitudes:
    """How many values are not above zero, and how many are between powers of e: enough for quartiles within 1.6 %,
    0.0 standing for any that is not above zero."""

    counts: NDArray[np.int64]

    @classmethod
    def of(cls, values: Values) -> "Magnitudes":
        """Those of some values (n,), NaN for gaps."""
        present = values[np.isfinite(values)]
        above = np.log(present[present > 0.0])
        bins = np.rint(above * _FINENESS).astype(np.int64) + _FARTHEST + 1
        counts = np.bincount(bins, minlength=2 * _FARTHEST + 2)
        counts[0] = len(present) - len(above)
        return cls(counts)

    def __add__(self, other: "Magnitudes") -> "Magnitudes":
        return Magnitudes(self.counts + other.counts)

    @property
    def known(self) -> int:
        """How many values there are."""
        return int(self.counts.sum())

    @property
    def quartiles(self) -> Values:
        """About where a quarter, half and three quarters of them are below."""
        below = np.cumsum(self.counts)
        bins = np.searchsorted(below, np.array([0.25, 0.5, 0.75]) * self.known, side="left")
        return np.where(bins == 0, 0.0, np.exp((bins - _FARTHEST - 1) / _FINENESS))
