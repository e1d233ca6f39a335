"""Moments: skewness, and means with sums of squares that can be put together."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]

_SMALL = 1e-100
"""Values all below this are squared in a unit of their own: the square of 1e-100 is far from the smallest number."""

_LEAST_UNIT = -1_000
"""The power of two of the least unit: a number that every database reads and divides by."""

_ROUNDING = 1e-13
"""Relative: a sum of squares within groups that is below this is rounding."""


def skewness(values: Values) -> float:
    """Skew of values without gaps: 0 when symmetric, positive with a long tail of large values; NaN when undefined.

    The mean cube of the z-scores, with the adjustment of Fisher & Pearson for small numbers, sqrt(n (n - 1)) / (n - 2);
    of values brought to the span 0 to 1, so that no cube leaves the range of doubles.
    """
    if len(values) < 3:
        return np.nan
    low = float(values.min())
    with np.errstate(over="ignore", invalid="ignore"):
        span = float(np.subtract(values.max(), low))
    if not 0.0 < span < np.inf:
        return np.nan
    with np.errstate(invalid="ignore"):
        gaps = (values - low) / span
    gaps -= gaps.mean()
    squares = gaps * gaps
    n, spread = len(gaps), float(squares.mean())
    squares *= gaps
    return float(((n - 1.0) * n) ** 0.5 / (n - 2.0) * squares.mean() / spread**1.5)


def unit_of(largest: float) -> float:
    """The unit to square values up to `largest` in: 1 but for values so small that their squares would be lost."""
    return 2.0 ** max(math.floor(math.log2(largest)), _LEAST_UNIT) if 0.0 < largest < _SMALL else 1.0


@dataclass(frozen=True, eq=False)
class Moments:
    """Of each of some groups (g,): how many values, their mean, and their sums of squares around it in some unit."""

    count: Values
    mean: Values
    squares: Values
    unit: float = 1.0

    @classmethod
    def of(cls, parts: Sequence[Values]) -> "Moments":
        """The moments of ascending values by group; NaN for the mean of none, and no squares where all are alike."""
        count, mean = np.zeros(len(parts)), np.full(len(parts), np.nan)
        squares = np.zeros(len(parts))
        unit = unit_of(max((max(-part[0], part[-1]) for part in parts if part.size), default=0.0))
        for index, part in enumerate(parts):
            if part.size:
                count[index] = part.size
                mean[index] = part[0] if part[0] == part[-1] else part.mean()
                gaps = (part - mean[index]) / unit
                squares[index] = float((gaps * gaps).sum())
        return cls(count, mean, squares, unit)

    @property
    def standard_deviation(self) -> Values:
        """The standard deviation by group; NaN where there are fewer than two values."""
        return np.sqrt(self.squares / np.where(self.count > 1, self.count - 1.0, np.nan)) * self.unit

    def all(self) -> "Moments":
        """The moments of all groups as one."""
        held = self.count > 0
        if not held.any():
            return Moments(np.zeros(1), np.full(1, np.nan), np.zeros(1), self.unit)
        count, means = self.count[held], self.mean[held]
        mean = means[0] if (means == means[0]).all() else np.average(means, weights=count)
        gaps = (means - mean) / self.unit
        squares = self.squares.sum() + (count * gaps**2).sum()
        return Moments(count.sum(keepdims=True), np.array([mean]), np.array([squares]), self.unit)

    def of_groups(self, groups: slice) -> "Moments":
        """The moments of some of the groups."""
        return Moments(self.count[groups], self.mean[groups], self.squares[groups], self.unit)

    def scores(self) -> Values:
        """How far each group's mean is from that of all others, in standard deviations of the two put together.

        (mean - mean of the rest) / sqrt(((n - 1) s² + (m - 1) t²) / (n + m - 2)): 0.2 is little, 0.8 is much. Infinite
        where both sides are all alike and differ, NaN where one side is empty. Cohen (1988), Statistical Power Analysis
        for the Behavioral Sciences.
        """
        everyone = self.all()
        rest = everyone.count - self.count
        with np.errstate(divide="ignore", invalid="ignore"):
            others = (everyone.count * everyone.mean - self.count * np.nan_to_num(self.mean)) / rest
            gap = (self.mean - others) / self.unit
            between = self.count * rest / everyone.count * gap**2
            within = np.maximum(everyone.squares - between, 0.0)
            within[within <= _ROUNDING * everyone.squares] = 0.0
            scores = gap / np.sqrt(within / (everyone.count - 2.0))
        if not everyone.squares[0] > 0.0:
            scores = np.zeros_like(gap)
        scores[(self.count == 0) | (rest == 0)] = np.nan
        return scores
