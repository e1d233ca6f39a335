"""Lloyd's iterations (1982) over anything that can give the sums by segment for given centres.

Points may be in memory, in files, or on other machines: whoever holds them is a `SumSource`, and only centres go to it
and sums come back.
"""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]


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


class SumSource(Protocol):
    """Points, wherever they are, that k-means can be learned from."""

    def spread(self) -> tuple[Values, float]:
        """A point in their middle (d,), and their sum of squares about it."""

    def sums_at(self, centres: Values) -> SegmentSums:
        """The sums once every point is with the nearest of the centres (k, d), ties to the lower number.

        `moved` counts the points that were elsewhere at the centres asked for before, at first all. A segment that
        empties has taken the point farthest from its centre.
        """


@dataclass(frozen=True, eq=False)
class Iterated:
    """Where iterations ended: the `centres` (k, d), what the last one `moved`, and a row of `history` an iteration.

    A row has the sum of squares after it, the points it moved, and the largest way a centre went.
    """

    centres: Values
    moved: int
    history: list[tuple[float, int, float]]


def iterate(source: SumSource, centres: Values, max_iterations: int) -> Iterated:
    """Assign and update from the given centres (k, d) until nobody moves or `max_iterations` are done."""
    middle, overall = source.spread()
    history: list[tuple[float, int, float]] = []
    moved = 0
    while len(history) < max_iterations:
        before = centres
        sums = source.sums_at(before)
        moved, centres = sums.moved, sums.means()
        between = float((sums.weight * ((centres - middle) ** 2).sum(axis=1)).sum())
        history.append((max(overall - between, 0.0), moved, float(ways_between(before, centres).max())))
        if moved == 0 and (centres == before).all():
            break
    return Iterated(centres, moved, history)


def ways_between(before: Values, after: Values) -> Values:
    """How far each centre (k,) went."""
    return np.asarray(np.sqrt(((after - before) ** 2).sum(axis=1)))


def begin_anew(centres: Values, weight: Values, total: Values, far: Values) -> int:
    """Give each segment that nobody is in one of the points farthest out, in place; how many got one.

    weight (k,) and total (k, d) are sums at the centres (k, d), `far` (m, d) points, the farthest first; a segment of
    one point keeps it.
    """
    empty = np.flatnonzero(weight == 0.0)
    taken = 0
    for row in far:
        own = int(((centres - row) ** 2).sum(axis=1).argmin())
        if taken < len(empty) and weight[own] > 1.0:
            weight[own] -= 1.0
            total[own] -= row
            weight[empty[taken]], total[empty[taken]] = 1.0, row
            taken += 1
    return taken
