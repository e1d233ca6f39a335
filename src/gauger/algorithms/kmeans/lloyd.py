"""Lloyd's iterations (1982): assign every row to the nearest centre, move each centre to the mean of its rows.

Sums are kept from iteration to iteration and changed only by those who move, so that an iteration in which few do costs
little more than looking at the distances; and bounds on these spare most points the look.
"""

from dataclasses import dataclass, replace
from functools import reduce
from operator import add

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans.kernels import assign_block, own_distances_block, reassign_block, refill, sums_block
from gauger.algorithms.parallel import map_blocks

PRUNE_BELOW = 0.05
"""Once an iteration moves a smaller share of points than this, bounds on their distances pay."""

_MARGIN = 1e-10
"""Relative: far above what rounding does to a distance, far below what moves a point."""

Values = NDArray[np.float64]
Codes = NDArray[np.int32]


@dataclass(frozen=True, eq=False)
class SegmentSums:
    """Mergeable sums by segment: `weight` (k,) of the points and `total` (k, d), the weighted sum of their values.

    What a block of points adds: sums of blocks are added in their order. `moved` points changed segment.
    """

    weight: Values
    total: Values
    moved: int = 0

    def __add__(self, other: "SegmentSums") -> "SegmentSums":
        return SegmentSums(self.weight + other.weight, self.total + other.total, self.moved + other.moved)

    def means(self) -> Values:
        """Centres (k, d); every segment must have a point."""
        return self.total / self.weight[:, None]


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


def run_lloyd(
    columns: Values, weights: Values, centres: Values, max_iterations: int, *, prune_below: float = PRUNE_BELOW
) -> LloydResult:
    """Iterations from the given centres (k, d) until nobody moves or `max_iterations` are done.

    `columns` (d, n), `weights` (n,) positive. A segment that empties takes the point farthest from its centre. With
    or without pruning (`prune_below=0` never prunes) the codes are the same to the bit, for pruned points are those
    proven not to move. At the end every point is nearest to its own centre; when all have settled, the centres are
    their means.
    """
    n, k = columns.shape[1], len(centres)
    codes = np.full(n, -1, dtype=np.int32)
    sums = SegmentSums(np.zeros(k), np.zeros_like(centres))
    middle, overall = total_squares(columns, weights)
    bounds: _Bounds | None = None
    history: list[tuple[float, int, float]] = []
    moved, before, exact = n, centres, False
    while len(history) < max_iterations:
        if bounds is None and moved < prune_below * n and k > 1:
            bounds = _Bounds.at_first(columns, k)
        before = centres
        sums += (
            assign(columns, weights, before, codes)
            if bounds is None
            else _look(columns, weights, before, bounds, codes)
        )
        moved = sums.moved
        if sums.weight.min() <= 0.0:
            moved += refill(columns, weights, before, codes, sums.weight, sums.total)
            bounds = None
        if moved == 0 and not exact:
            sums = sums_of(columns, weights, codes, k)
        exact = moved == 0
        sums = replace(sums, moved=0)
        centres = sums.means()
        ways = np.sqrt(((centres - before) ** 2).sum(axis=1))
        if bounds is not None:
            bounds.went(ways)
        between = float((sums.weight * ((centres - middle) ** 2).sum(axis=1)).sum())
        history.append((max(overall - between, 0.0), moved, float(ways.max())))
        if moved == 0 and (centres == before).all():
            break
    if moved:
        last = codes.copy()
        assign(columns, weights, centres, codes)
        if np.bincount(codes, minlength=k).min() == 0:
            codes = last
    return LloydResult(codes, centres, wcss_of(columns, weights, centres, codes), history, moved)


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
