"""Exact order statistics of more values than memory holds, by group: count between edges, then look where it matters.

A sample says about where a wanted rank lies, and its values there become edges. One pass over all values counts how
many lie between them; a second keeps the few values between the two edges that the rank lies in. Where an edge is the
only number up to the next edge, the count has told it already.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numba import njit
from numpy.typing import NDArray

TILE = 64
"""Rows searched for side by side: decides nothing but speed."""
_SPREADS = 4.0
"""Standard errors of a sample's rank on each side of where it puts a wanted one: a miss costs memory, no exactness."""
_EDGES = 48
"""Values of a sample that become edges around one rank: judgement, few enough for counting to be quick."""

Values = NDArray[np.float64]
Whole = NDArray[np.int64]
Place = tuple[int, int]


@dataclass(frozen=True, eq=False)
class Edges:
    """Ascending edges of every column: those of column f are values[starts[f] : starts[f + 1]]."""

    values: Values
    starts: Whole

    @classmethod
    def of(cls, columns: Sequence[Values]) -> "Edges":
        """Edges as they are given by column."""
        starts = np.cumsum([0, *map(len, columns)], dtype=np.int64)
        return cls(np.concatenate(columns) if columns else np.empty(0), starts)

    def counts(self, groups: int) -> Whole:
        """Room for the counts of groups: of every column one more than it has edges."""
        return np.zeros((groups, len(self.values) + len(self.starts) - 1), dtype=np.int64)

    def of_column(self, column: int) -> tuple[Values, slice]:
        """A column's edges, and where its counts stand."""
        first, last = int(self.starts[column]), int(self.starts[column + 1])
        return self.values[first:last], slice(first + column, last + column + 1)


def edges_around(samples: Iterable[Values], shares: Sequence[float], also: Sequence[float] = ()) -> Values:
    """Edges around the ranks that some shares have, from samples in order: of everyone, and of groups."""
    found = [np.asarray(also, dtype=np.float64)]
    for ordered in samples:
        size = len(ordered)
        for share in shares if size else ():
            middle = share * (size - 1)
            width = _SPREADS * np.sqrt(size * max(share * (1.0 - share), 1.0 / size)) + 2.0
            distinct = np.unique(ordered[max(int(middle - width), 0) : int(middle + width) + 2])
            if len(distinct) > _EDGES:
                distinct = distinct[np.linspace(0, len(distinct) - 1, _EDGES).astype(np.intp)]
            found.append(distinct)
    values = np.unique(np.concatenate(found))
    return np.unique(np.concatenate([values, np.nextafter(values, np.inf)]))


@njit(nogil=True, cache=True)
def count_between(columns, codes, start, stop, edges, starts, counts):
    """Count the values of the rows start … stop between the edges of their columns; NaN is no value.

    columns (d, n), codes (n,) the rows' groups from 0, edges and starts as `Edges` has them; adds to counts, as
    `Edges.counts` lays them out. A tile of rows is searched for side by side, a halving at a time.
    """
    place = np.empty(TILE, np.int64)
    for f in range(columns.shape[0]):
        first_edge, many = starts[f], starts[f + 1] - starts[f]
        for first in range(start, stop, TILE):
            size = min(TILE, stop - first)
            column = columns[f, first : first + size]
            for r in range(size):
                place[r] = first_edge
            left = many
            while left > 0:
                half = (left + 1) // 2
                for r in range(size):
                    at = place[r] + half
                    place[r] = at if edges[at - 1] <= column[r] else place[r]
                left -= half
            for r in range(size):
                if column[r] == column[r]:
                    counts[codes[first + r], place[r] + f] += 1


@njit(nogil=True, cache=True)
def mark_between(columns, codes, start, stop, lows, highs, marks):
    """Set marks (d, n) where a value of the rows start … stop lies in [low, high) of a range of its group, or of the
    last group, which is everyone.

    lows and highs (g + 1, d, ranges); a range that is not wanted has NaN.
    """
    everyone = lows.shape[0] - 1
    for f in range(columns.shape[0]):
        if np.isnan(lows[:, f]).all():
            continue
        for r in range(start, stop):
            value, group = columns[f, r], codes[r]
            for one in range(lows.shape[2]):
                marks[f, r] |= lows[group, f, one] <= value < highs[group, f, one]
                marks[f, r] |= lows[everyone, f, one] <= value < highs[everyone, f, one]


@dataclass(eq=False)
class OrderStatistics:
    """Order statistics by group and column, from the `counts` between `edges`; the last group is everyone."""

    edges: Edges
    counts: Whole
    _found: dict[tuple[int, int, int], float] = field(default_factory=dict)

    @classmethod
    def counted(cls, edges: Edges, counts: Whole) -> "OrderStatistics":
        """From the counts of every group (g, e)."""
        return cls(edges, np.vstack([counts, counts.sum(axis=0, keepdims=True)]))

    @property
    def everyone(self) -> int:
        """The group of everyone."""
        return len(self.counts) - 1

    def known(self, group: int, column: int) -> int:
        """How many values there are."""
        return int(self.counts[group, self.edges.of_column(column)[1]].sum())

    def below(self, group: int, column: int, edge: float) -> int:
        """How many values are smaller than one of the edges."""
        edges, place = self.edges.of_column(column)
        return int(self.counts[group, place][: int(np.searchsorted(edges, edge)) + 1].sum())

    def ranks_of(self, group: int, column: int, shares: Iterable[float]) -> set[int]:
        """The ranks, from 0, that some shares lie between."""
        last = self.known(group, column) - 1
        lower = {int(share * last) for share in shares} if last >= 0 else set()
        return lower | {min(rank + 1, last) for rank in lower}

    def _range_of(self, group: int, column: int, rank: int) -> tuple[float, float, int]:
        """The range [low, high) between edges that a rank lies in, and how many values are below it."""
        edges, place = self.edges.of_column(column)
        ends = np.cumsum(self.counts[group, place])
        at = int(np.searchsorted(ends, rank, side="right"))
        low = float(edges[at - 1]) if at else -np.inf
        high = float(edges[at]) if at < len(edges) else np.inf
        return low, high, int(ends[at - 1]) if at else 0

    def open_ranges(self, ranks: Mapping[Place, Iterable[int]]) -> tuple[Values, Values] | None:
        """The ranges (g, d, r) that hold the ranks of groups' columns which counting has not told; None if it has."""
        wanted: dict[Place, set[tuple[float, float]]] = {}
        for (group, column), asked in ranks.items():
            for rank in asked:
                low, high, _ = self._range_of(group, column, rank)
                if np.nextafter(low, np.inf) == high:
                    self._found[group, column, rank] = low
                else:
                    wanted.setdefault((group, column), set()).add((low, high))
        if not wanted:
            return None
        shape = (len(self.counts), len(self.edges.starts) - 1, max(map(len, wanted.values())))
        lows, highs = np.full(shape, np.nan), np.full(shape, np.nan)
        for (group, column), pairs in wanted.items():
            for index, (low, high) in enumerate(sorted(pairs)):
                lows[group, column, index], highs[group, column, index] = low, high
        return lows, highs

    def take(self, group: int, column: int, ranks: Iterable[int], values: Values) -> None:
        """Learn the ranks from all values in their ranges, in any order, among others."""
        ordered = np.sort(values)
        for rank in ranks:
            if (group, column, rank) not in self._found:
                low, _, before = self._range_of(group, column, rank)
                place = int(np.searchsorted(ordered, low, side="left")) + rank - before
                self._found[group, column, rank] = float(ordered[place])

    def at_rank(self, group: int, column: int, rank: int) -> float:
        """The value at a rank that was asked for."""
        return self._found[group, column, rank]

    def quantile(self, group: int, column: int, share: float) -> float:
        """The value below which a share lies, interpolated between neighbours; NaN where there are no values."""
        last = self.known(group, column) - 1
        return quantile_by(lambda rank: self.at_rank(group, column, rank), last + 1, share)


def quantile_by(value_at: Callable[[int], float], size: int, share: float) -> float:
    """The value below which a share of `size` lies, from the values at ranks; NaN of none."""
    if not size:
        return float("nan")
    index = share * (size - 1)
    below = int(index)
    low, high = value_at(below), value_at(min(below + 1, size - 1))
    return low if low == high else low + (high - low) * (index - below)
