"""What a measure is like in each segment: mean, spread, quartiles, and what the drivers are reckoned from."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms import map_jobs
from gauger.algorithms.statistics import ranks_among
from gauger.columns import ColumnFacts, skewness

LOPSIDED = 1.0
"""The skew from which the median says more than the mean."""

_QUARTILES = (0.25, 0.5, 0.75)
"""Of each group, by the usual interpolation."""

Values = NDArray[np.float64]
Rows = NDArray[np.intp]


@dataclass(frozen=True, eq=False)
class Grouping:
    """Customers by group: `order` (n,) puts those of a group together, group g from `starts[g]` to `starts[g + 1]`.

    Group 0 are the unassigned, group g segment g.
    """

    order: Rows
    starts: Rows

    @classmethod
    def of(cls, codes: NDArray[np.integer], segments: int) -> "Grouping":
        """The grouping by codes (n,) from 0 to `segments`."""
        sizes = np.bincount(codes, minlength=segments + 1)
        small = codes.astype(np.uint16) if segments < 2**16 else codes  # two bytes are sorted by counting
        return cls(np.argsort(small, kind="stable"), np.concatenate([[0], np.cumsum(sizes)]))


@dataclass(frozen=True, eq=False)
class Moments:
    """Of each of some groups (g,): how many values, their mean, and their sums of squares and cubes around it."""

    count: Values
    mean: Values
    squares: Values
    cubes: Values

    @classmethod
    def of(cls, parts: Sequence[Values]) -> "Moments":
        """The moments of ascending values by group; NaN for the mean of none, and no squares where all are alike."""
        count, mean = np.zeros(len(parts)), np.full(len(parts), np.nan)
        squares, cubes = np.zeros(len(parts)), np.zeros(len(parts))
        for index, part in enumerate(parts):
            if part.size:
                count[index] = part.size
                mean[index] = part[0] if part[0] == part[-1] else part.mean()
                gaps = part - mean[index]
                around = gaps * gaps
                squares[index] = float(around.sum())
                cubes[index] = float(around @ gaps)
        return cls(count, mean, squares, cubes)

    @property
    def standard_deviation(self) -> Values:
        """The standard deviation by group; NaN where there are fewer than two values."""
        return np.sqrt(self.squares / np.where(self.count > 1, self.count - 1.0, np.nan))

    def all(self) -> "Moments":
        """The moments of all groups as one."""
        held = self.count > 0
        if not held.any():
            return Moments(np.zeros(1), np.full(1, np.nan), np.zeros(1), np.zeros(1))
        count, means = self.count[held], self.mean[held]
        mean = means[0] if (means == means[0]).all() else np.average(means, weights=count)
        gaps = means - mean
        squares = self.squares.sum() + (count * gaps**2).sum()
        cubes = self.cubes.sum() + (3.0 * gaps * self.squares[held] + count * gaps**3).sum()
        return Moments(count.sum(keepdims=True), np.array([mean]), np.array([squares]), np.array([cubes]))

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
            gap = self.mean - others
            between = self.count * rest / everyone.count * gap**2
            within = np.maximum(everyone.squares - between, 0.0)
            within[within <= _ROUNDING * everyone.squares] = 0.0
            scores = gap / np.sqrt(within / (everyone.count - 2.0))
        if not everyone.squares[0] > 0.0:
            scores = np.zeros_like(gap)
        scores[(self.count == 0) | (rest == 0)] = np.nan
        return scores


_ROUNDING = 1e-13
"""Relative: a sum of squares within groups that is below this is rounding."""

_TINY = 1e-60
"""Beyond such spans cubes leave the range of doubles."""


@dataclass(frozen=True, eq=False)
class Summary:
    """One measure by group (g,): `moments`, `quartiles` (g, 3), and the same over everyone in `overall` (3,).

    `skew` is that of everyone's values, `missing` how many lack one. `by_rank` are the
    moments of the ranks, ties halfway, for a measure with a long tail; None for others.
    """

    moments: Moments
    quartiles: Values
    overall: Values
    skew: float
    missing: int
    by_rank: Moments | None

    @property
    def lopsided(self) -> bool:
        """Whether the median says more than the mean."""
        return self.by_rank is not None

    @cached_property
    def scores(self) -> Values:
        """How far each group is from the rest, in standard deviations; for a long tail by ranks."""
        return (self.by_rank or self.moments).scores()


def summarise(measures: pd.DataFrame, grouping: Grouping) -> dict[str, Summary]:
    """Each measure (a column of numbers) by group; gaps are left out. O(n d log n)."""

    def of_column(name: str) -> Summary:
        return _summary(measures[name].to_numpy(dtype=np.float64, na_value=np.nan), grouping)

    return dict(zip(measures.columns, map_jobs(of_column, list(measures.columns)), strict=True))


def _summary(values: Values, grouping: Grouping) -> Summary:
    grouped = values[grouping.order]
    facts = [
        ColumnFacts.of(grouped[start:stop])
        for start, stop in zip(grouping.starts[:-1], grouping.starts[1:], strict=True)
    ]
    everyone = ColumnFacts.of(values)
    parts = [part.ordered for part in facts]
    quartiles = np.array([_quartiles(part) for part in facts])
    moments = Moments.of(parts)
    if not len(everyone.ordered):
        return Summary(moments, quartiles, _quartiles(everyone), np.nan, everyone.missing, None)
    skew = _skew_of(everyone, moments)
    ranks = Moments.of([ranks_among(everyone.ordered, part) for part in parts]) if abs(skew) > LOPSIDED else None
    return Summary(moments, quartiles, _quartiles(everyone), skew, everyone.missing, ranks)


def _skew_of(everyone: ColumnFacts, moments: Moments) -> float:
    """The skew of all values, from the moments of the groups where cubes can be reckoned with."""
    span = everyone.high - everyone.low
    if not _TINY < span < 1.0 / _TINY:
        return skewness(everyone.ordered)
    n, overall = len(everyone.ordered), moments.all()
    squares, cubes = float(overall.squares[0]), float(overall.cubes[0])
    if n < 3 or not squares > 0.0:
        return np.nan
    return float(math.sqrt(n * (n - 1.0)) / (n - 2.0) * (cubes / n) / (squares / n) ** 1.5)


def _quartiles(facts: ColumnFacts) -> Values:
    if not len(facts.ordered):
        return np.full(3, np.nan)
    return np.array([facts.quantile(share) for share in _QUARTILES])


def by_group(summaries: Mapping[str, Summary], part: str, groups: int) -> pd.DataFrame:
    """One figure of all measures: a row for each of `groups` (the unassigned first, everyone last), a column a measure.

    `part` is "mean", "standard_deviation", "lower", "median", "upper" or "score".
    """
    index = {"lower": 0, "median": 1, "upper": 2}.get(part)
    columns = {}
    for name, found in summaries.items():
        if index is not None:
            columns[name] = np.append(found.quartiles[:, index], found.overall[index])
        elif part == "score":
            columns[name] = np.append(found.scores, np.nan)
        else:
            columns[name] = np.append(getattr(found.moments, part), getattr(found.moments.all(), part))
    return pd.DataFrame(columns, index=range(groups))
