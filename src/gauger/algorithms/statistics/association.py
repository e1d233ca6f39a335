"""How far two divisions go together: Cramér's V with an interval, and how often one lets you guess the other."""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtr, ndtr

Counts = NDArray[np.integer]
Values = NDArray[np.float64]

_LEVEL = 0.05
"""What the interval leaves out."""

_BISECTIONS = 40
"""Halvings of the range that an end of the interval lies in: to a millionth of a millionth."""

_NORMAL = np.linspace(-8.0, 8.0, 161)
_NORMAL_WEIGHTS = np.exp(-0.5 * _NORMAL**2) / np.exp(-0.5 * _NORMAL**2).sum()
"""A normal deviate and its weights, over which distributions are summed: finer steps change no third digit."""

_LEAST_RATIO = 1e-6
"""The least ratio of variances: 0 of a table in which a row determines the column, which no distribution has."""


def chi_square(table: Counts) -> tuple[float, int]:
    """Pearson's chi-squared of a contingency table (k, m) and its degrees of freedom, empty rows and columns aside.

    (0.0, 0) with fewer than two rows or columns that anyone is in.
    """
    used = _used(table)
    free = (used.shape[0] - 1) * (used.shape[1] - 1)
    if used.size == 0 or free < 1:
        return 0.0, 0
    expected = np.outer(used.sum(axis=1), used.sum(axis=0)) / used.sum()
    return float(((used - expected) ** 2 / expected).sum()), free


def cramers_v(table: Counts) -> float:
    """Cramér's V of a contingency table (k, m), corrected for its upward bias.

    0 when rows and columns have nothing to do with each other, 1 when the row determines the column; NaN with fewer
    than two rows or columns that anyone is in, or fewer in all than these need.

    Chi-squared exceeds its population value by its degrees of freedom on average, so that the uncorrected V of few rows
    in many cells is high where there is nothing.

    Cramér (1946), Mathematical Methods of Statistics, 282; Bergsma (2013), Journal of the Korean Statistical Society
    42(3), 323-328.
    """
    statistic, free = chi_square(table)
    n, largest = int(table.sum()), _largest(table)
    if largest <= 0.0:
        return math.nan
    return min(math.sqrt(max(statistic / n - free / (n - 1), 0.0) / largest), 1.0)


def cramers_v_interval(table: Counts) -> tuple[float, float]:
    """The 95 % interval of V: every V under which the chi-squared that was found is not exceptional.

    Under a given V, chi-squared is distributed as a noncentral chi-squared whose noncentrality is n V² (min(k, m) - 1),
    with two corrections that matter for strong association: the variance along the direction in which rows and columns
    depart from independence, and the mean, both by the delta method at the table between independence and the one that
    was found. The lower end is 0 exactly when the chi-squared test at 5 % finds no association; away from 0 each side
    leaves out 2.5 %. NaN as for `cramers_v`. `python -m benchmarks.intervals` measures its coverage.

    Smithson (2003), Confidence Intervals, 39-41; Agresti (2013), Categorical Data Analysis, 16.1.
    """
    statistic, free = chi_square(table)
    n, largest = int(table.sum()), _largest(table)
    if largest <= 0.0:
        return math.nan, math.nan
    likely = _Likely(_used(table) / n, statistic, free)
    low = likely.largest(lambda strength: 1.0 - _LEVEL + _below(strength, free))
    high = likely.largest(lambda strength: _below(strength, free))
    scale, found = n * largest, cramers_v(table)
    return min(math.sqrt(low / scale), found), max(min(math.sqrt(high / scale), 1.0), found)


def guessed_right(table: Counts) -> tuple[float, float]:
    """The share of rows whose column is guessed right from the row's group, and without knowing it: the most frequent.

    Goodman & Kruskal (1954), J. American Statist. Assoc. 49, 732-764.
    """
    n = table.sum()
    return float(table.max(axis=1).sum() / n), float(table.sum(axis=0).max() / n)


def _used(table: Counts) -> Values:
    """The rows and columns that anyone is in."""
    kept = table[table.sum(axis=1) > 0][:, table.sum(axis=0) > 0]
    return np.asarray(kept, dtype=np.float64)


def _largest(table: Counts) -> float:
    """The largest mean square contingency, by Bergsma's count of rows and columns, which falls with few rows.

    0 or less where there is nothing to go together: one row, one column, or hardly more rows than cells.
    """
    n = int(table.sum())
    if n < 2:
        return 0.0
    return float(min(size - (size - 1) ** 2 / (n - 1) for size in _used(table).shape)) - 1.0


def _below(strength: float, free: int) -> float:
    """What the interval leaves out below: nothing where there is no association, half of the level where it is sure."""
    return _LEVEL / 2.0 * (1.0 - math.exp(-strength / math.sqrt(2.0 * free)))


@dataclass(frozen=True, eq=False)
class _Likely:
    """How likely a chi-squared of at most `statistic` is under weaker and stronger forms of shares (k, m)."""

    shares: Values
    statistic: float
    free: int

    def largest(self, target: Callable[[float], float]) -> float:
        """The noncentrality up to which the chance of a chi-squared as small is above the target."""
        if self.chance(0.0) <= target(0.0):
            return 0.0
        low, high = 0.0, self.statistic + 10.0 * math.sqrt(self.statistic) + 20.0
        for _ in range(_BISECTIONS):
            middle = (low + high) / 2.0
            if self.chance(middle) > target(middle):
                low = middle
            else:
                high = middle
        return (low + high) / 2.0

    def chance(self, strength: float) -> float:
        """The chance of a chi-squared of at most the statistic where the noncentrality is `strength`."""
        weight = math.sqrt(min(strength / self.statistic, 1.0)) if self.statistic else 0.0
        apart = np.outer(self.shares.sum(axis=1), self.shares.sum(axis=0))
        ratio, mean = _moments((1.0 - weight) * apart + weight * self.shares)
        ratio = max(ratio, _LEAST_RATIO)
        reached = max(self.statistic - (mean - (ratio + self.free - 1.0)), 0.0)
        along = math.sqrt(strength) + math.sqrt(ratio) * _NORMAL
        if self.free == 1:
            ends = math.sqrt(reached / ratio), math.sqrt(strength / ratio)
            return float(ndtr(ends[0] - ends[1]) - ndtr(-ends[0] - ends[1]))
        return float(_NORMAL_WEIGHTS @ chdtr(self.free - 1, np.maximum(reached - along**2, 0.0)))


def _moments(shares: Values) -> tuple[float, float]:
    """Of chi-squared under shares (k, m), beyond its noncentrality: the variance per 4 noncentrality, and the mean.

    Both are 1 and the degrees of freedom at independence.
    """
    rows, columns = shares.sum(axis=1)[:, None], shares.sum(axis=0)[None, :]
    by_row = (shares**2 / columns).sum(axis=1)[:, None] / rows**2
    by_column = (shares**2 / rows).sum(axis=0)[None, :] / columns**2
    cell = shares / (rows * columns)
    slope = 2.0 * cell - by_row - by_column
    square = float((shares * cell).sum()) - 1.0
    variance = float((shares * slope**2).sum() - (shares * slope).sum() ** 2)
    bend = 2.0 / (rows * columns) - 4.0 * cell / rows - 4.0 * cell / columns + 2.0 * cell**2
    bend += 2.0 * by_row / rows + 2.0 * by_column / columns
    return (variance / (4.0 * square) if square > 1e-12 else 1.0), float((shares * bend).sum() / 2.0)
