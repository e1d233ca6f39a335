"""Lloyd's iterations (1982): assign every row to the nearest centre, move each centre to the mean of its rows.

Sums are kept from iteration to iteration and changed only by those who move, so that an iteration in which few do costs
little more than looking at the distances; and bounds on these spare most points the look.
"""

from dataclasses import dataclass, replace
from functools import reduce
from operator import add

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans.iterating import SegmentSums, iterate, ways_between
from gauger.algorithms.kmeans.kernels import assign_block, own_distances_block, reassign_block, refill, sums_block
from gauger.algorithms.parallel import map_blocks

PRUNE_BELOW = 0.05
"""Once an iteration moves a smaller share of points than this, bounds on their distances pay."""

_PRUNED_FROM = 20_000
"""Fewer points are looked at in a few milliseconds, and the loop with bounds need not be compiled for them."""

_MARGIN = 1e-10
"""Relative: far above what rounding does to a distance, far below what moves a point."""

Values = NDArray[np.float64]
Codes = NDArray[np.int32]


@dataclass(frozen=True, eq=False)
class LloydResult:
    """Where iterations ended: `codes` (n,) from 0, `centres` (k, d), `wcss`, and what each iteration did.

    `history` has a row an iteration: the sum of squares after it, the points it moved, and the largest way a centre
    went. `moved` is how many the last iteration moved: 0 when nothing was left to do.
    """

    codes: Codes
    centres: Values
    wcss: float
    history: list[tuple[float, int, float]]
    moved: int


@dataclass(eq=False)
class _Bounds:
    """What spares points the look at their distances (after Hamerly 2010, SIAM Data Mining, 130-140).

    A point stays as long as the way of the own centre and the way of the fastest other one, added up, are below the
    slack found at the last look. Both ways are counted from the first iteration, so that slack need not change in
    between.
    """

    slack: Values
    reach: Values

    @classmethod
    def at_first(cls, columns: Values, count: int) -> "_Bounds":
        """Everyone is to be looked at; the margin is far above what rounding does to the distances."""
        farthest = np.maximum(columns.max(axis=1), -columns.min(axis=1))
        margin = _MARGIN * float(np.sqrt((farthest**2).sum()))
        return cls(np.full(columns.shape[1], -np.inf), np.full(count, margin))

    def went(self, ways: Values) -> None:
        """Centres went these ways (k,)."""
        fastest = int(ways.argmax())
        others = np.full(len(ways), ways[fastest])
        others[fastest] = np.delete(ways, fastest).max()
        self.reach = self.reach + ways + others


class _InMemory:
    """Points in memory as a source of sums, which are kept and changed only by those who move; `codes` (n,) from 0."""

    def __init__(self, columns: Values, weights: Values, count: int, prune_below: float) -> None:
        self._columns, self._weights, self._prune_below = columns, weights, prune_below
        self.codes: Codes = np.full(columns.shape[1], -1, dtype=np.int32)
        self._sums = SegmentSums(np.zeros(count), np.zeros((count, len(columns))), columns.shape[1])
        self._bounds: _Bounds | None = None
        self._last: Values | None = None
        self._exact = False

    def spread(self) -> tuple[Values, float]:
        return total_squares(self._columns, self._weights)

    def sums_at(self, centres: Values) -> SegmentSums:
        columns, weights, codes, count = self._columns, self._weights, self.codes, len(centres)
        if self._bounds is not None and self._last is not None:
            self._bounds.went(ways_between(self._last, centres))
        elif len(codes) >= _PRUNED_FROM and self._sums.moved < self._prune_below * len(codes) and count > 1:
            self._bounds = _Bounds.at_first(columns, count)
        sums = replace(self._sums, moved=0)
        sums += (
            assign(columns, weights, centres, codes)
            if self._bounds is None
            else _look(columns, weights, centres, self._bounds, codes)
        )
        if sums.weight.min() <= 0.0:
            taken = refill(columns, weights, centres, codes, sums.weight, sums.total)
            sums = replace(sums, moved=sums.moved + taken)
            self._bounds = None
        if sums.moved == 0 and not self._exact:
            sums = sums_of(columns, weights, codes, count)
        self._exact = sums.moved == 0
        self._sums, self._last = sums, centres
        return sums


def run_lloyd(
    columns: Values, weights: Values, centres: Values, max_iterations: int, *, prune_below: float = PRUNE_BELOW
) -> LloydResult:
    """Iterations from the given centres (k, d) until nobody moves or `max_iterations` are done.

    `columns` (d, n), `weights` (n,) positive. A segment that empties takes the point farthest from its centre. With
    or without pruning (`prune_below=0` never prunes) the codes are the same to the bit, for pruned points are those
    proven not to move. At the end every point is nearest to its own centre; when all have settled, the centres are
    their means.
    """
    points = _InMemory(columns, weights, len(centres), prune_below)
    found = iterate(points, centres, max_iterations)
    codes = points.codes
    if found.moved:
        last = codes.copy()
        assign(columns, weights, found.centres, codes)
        if np.bincount(codes, minlength=len(centres)).min() == 0:
            codes = last
    wcss = wcss_of(columns, weights, found.centres, codes)
    return LloydResult(codes, found.centres, wcss, found.history, found.moved)


def assign(columns: Values, weights: Values, centres: Values, codes: Codes) -> SegmentSums:
    """Give each point the nearest centre, in `codes` (n,), and return what that changes in the sums.

    `columns` (d, n) hold one feature after the other, `centres` are (k, d); a code of -1 is nowhere yet.
    """

    def of_block(rows: slice) -> SegmentSums:
        weight, total = np.zeros(len(centres)), np.zeros_like(centres)
        moved = assign_block(columns, weights, rows.start, rows.stop, centres, codes, weight, total)
        return SegmentSums(weight, total, int(moved))

    return reduce(add, map_blocks(of_block, columns.shape[1]))


def _look(columns: Values, weights: Values, centres: Values, bounds: _Bounds, codes: Codes) -> SegmentSums:
    """As `assign`, for those whom the bounds do not spare."""
    reach = bounds.reach

    def of_block(rows: slice) -> SegmentSums:
        weight, total = np.zeros(len(centres)), np.zeros_like(centres)
        moved = reassign_block(
            columns, weights, rows.start, rows.stop, centres, reach, bounds.slack, codes, weight, total
        )
        return SegmentSums(weight, total, int(moved))

    return reduce(add, map_blocks(of_block, columns.shape[1]))


def sums_of(columns: Values, weights: Values, codes: Codes, count: int) -> SegmentSums:
    """The sums by segment (codes from 0), added up anew."""

    def of_block(rows: slice) -> SegmentSums:
        weight, total = np.zeros(count), np.zeros((count, len(columns)))
        sums_block(columns, weights, rows.start, rows.stop, codes, weight, total)
        return SegmentSums(weight, total)

    return reduce(add, map_blocks(of_block, columns.shape[1]))


def squares_to_own(columns: Values, centres: Values, codes: Codes) -> Values:
    """Each point's squared distance to its own centre (n,)."""
    squares = np.empty(columns.shape[1])
    for _ in map_blocks(
        lambda rows: own_distances_block(columns, rows.start, rows.stop, centres, codes, squares), len(squares)
    ):
        pass
    return squares


def wcss_of(columns: Values, weights: Values, centres: Values, codes: Codes) -> float:
    """The within-cluster sum of squares about given centres."""
    return float((weights * squares_to_own(columns, centres, codes)).sum())


def total_squares(columns: Values, weights: Values) -> tuple[Values, float]:
    """The mean of everyone (d,) and the sum of squares about it."""
    middle = np.einsum("ij,j->i", columns, weights) / weights.sum()
    everyone = np.zeros(columns.shape[1], dtype=np.int32)
    return middle, wcss_of(columns, weights, middle[None, :], everyone)
