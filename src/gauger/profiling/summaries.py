"""What a measure is like in each segment: moments, quartiles, and what the drivers are computed from."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms import map_jobs
from gauger.algorithms.statistics import Moments, ranks_among, skewness
from gauger.columns import ColumnFacts

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
class MeasureSummary:
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


def summarise(measures: pd.DataFrame, grouping: Grouping) -> dict[str, MeasureSummary]:
    """Each measure (a column of numbers) by group; gaps are left out. O(n d log n)."""

    def of_column(name: str) -> MeasureSummary:
        return _summary(measures[name].to_numpy(dtype=np.float64, na_value=np.nan), grouping)

    return dict(zip(measures.columns, map_jobs(of_column, list(measures.columns)), strict=True))


def _summary(values: Values, grouping: Grouping) -> MeasureSummary:
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
        return MeasureSummary(moments, quartiles, _quartiles(everyone), np.nan, everyone.missing, None)
    skew = skewness(everyone.ordered)
    ranks = Moments.of([ranks_among(everyone.ordered, part) for part in parts]) if abs(skew) > LOPSIDED else None
    return MeasureSummary(moments, quartiles, _quartiles(everyone), skew, everyone.missing, ranks)


def _quartiles(facts: ColumnFacts) -> Values:
    if not len(facts.ordered):
        return np.full(3, np.nan)
    return np.array([facts.quantile(share) for share in _QUARTILES])


def by_group(summaries: Mapping[str, MeasureSummary], part: str, groups: int) -> pd.DataFrame:
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
