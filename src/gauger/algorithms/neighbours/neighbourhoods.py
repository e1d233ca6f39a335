"""Which points are near which: in a box tree, or as distances worked out by blocks."""

from collections.abc import Callable
from functools import cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.distance import cdist

from gauger.algorithms.compiling import compile_loops
from gauger.algorithms.distances import Geometry
from gauger.algorithms.neighbours.box_tree import BoxTree
from gauger.algorithms.neighbours.linking import groups_of, link_rows, link_within
from gauger.algorithms.neighbours.spanning_tree import links_by_rows, links_in_boxes
from gauger.algorithms.parallel import map_blocks

_MOST_ROWS, _CELLS = 128, 4_000_000
"""Rows, and cells, of a block of distances: 32 MB; decides nothing but memory and speed."""

Values = NDArray[np.float64]
Rows = NDArray[np.intp]
Flags = NDArray[np.bool_]


class Neighbours(Protocol):
    """What density needs to know of n points in an order of their own."""

    def between(self, rows: Rows, others: Rows) -> Values:
        """The distances (len(rows), len(others))."""

    def nth_distances(self, nth: int) -> Values:
        """How far the nth nearest is from each point (n,), the point itself being the first."""

    def have_near(self, radius: float, enough: int) -> Flags:
        """Which points (n,) have at least so many within the radius, themselves among them."""

    def groups(self, rows: Rows, radius: float) -> Rows:
        """Which of these points hang together by steps no longer than the radius: (len(rows),) from 0."""

    def nearest(self, rows: Rows, among: Rows, rank: Rows) -> tuple[Rows, Values]:
        """For each of rows the nearest point of `among`, of those as near the one of the lowest rank; how far."""

    def links(self, reach: Values, advance: Callable[[int], None]) -> tuple[Rows, Values]:
        """The shortest links (n - 1, 2) that hold all together, none shorter than either end's reach (n,)."""


@cache
def compile_links() -> None:
    """Compile what finds neighbour distances and links."""
    points = _three_points()
    compile_loops(lambda: points.nth_distances(2), lambda: points.links(np.zeros(3), lambda _: None))


@cache
def compile_neighbours() -> None:
    """Compile every loop that the search for neighbours has."""
    compile_links()
    points, everyone = _three_points(), np.arange(3)
    compile_loops(
        lambda: points.have_near(1.0, 2),
        lambda: points.groups(everyone, 1.0),
        lambda: points.nearest(everyone, everyone, everyone),
    )


def _three_points() -> "PointNeighbours":
    return PointNeighbours(np.array([[0.0, 1.0, 5.0]]), city=False)


class PointNeighbours:
    """Points (d, n) under the Euclidean or the city-block distance, each question answered by a box tree.

    Equal points should stand side by side, as a row order puts them: where they do, thousands of copies cost no
    time.
    """

    def __init__(self, columns: Values, *, city: bool) -> None:
        self._columns, self._city = columns, city
        self._boxes = BoxTree(columns, np.zeros(columns.shape[1]), city=city)
        self._slot = np.argsort(self._boxes.order)

    def between(self, rows: Rows, others: Rows) -> Values:
        metric = "cityblock" if self._city else "euclidean"
        return np.asarray(cdist(self._columns[:, rows].T, self._columns[:, others].T, metric))

    def nth_distances(self, nth: int) -> Values:
        value = np.empty(len(self._boxes.order))
        value[self._boxes.order] = self._distance(self._boxes.nth_distances(nth))
        return value

    def have_near(self, radius: float, enough: int) -> Flags:
        near = np.empty(len(self._boxes.order), dtype=np.bool_)
        near[self._boxes.order] = self._boxes.counts_within(self._limit(radius), enough) >= enough
        return near

    def groups(self, rows: Rows, radius: float) -> Rows:
        if not len(rows):
            return np.empty(0, dtype=np.intp)
        boxes = self._boxed(rows)
        parent = np.arange(len(rows))
        link_within(boxes.points, boxes.levels, boxes.low, boxes.high, self._city, self._limit(radius), parent)
        group = np.empty(len(rows), dtype=np.intp)
        group[boxes.order] = groups_of(parent)
        return group

    def nearest(self, rows: Rows, among: Rows, rank: Rows) -> tuple[Rows, Values]:
        among = self._one_a_spot(among, rank)
        boxes = self._boxed(among)
        slots, value = boxes.nearest_of(np.ascontiguousarray(self._columns[:, rows]), rank[among][boxes.order])
        return among[boxes.order[slots]], self._distance(value)

    def links(self, reach: Values, advance: Callable[[int], None]) -> tuple[Rows, Values]:
        copies = np.flatnonzero(~self._changes(self._columns))
        firsts = np.setdiff1d(np.arange(len(reach)), copies, assume_unique=True)
        raw = reach if self._city else reach**2
        boxes = self._boxed(firsts, raw[firsts])
        links, lengths = links_in_boxes(boxes, advance)
        links = firsts[boxes.order[links]]
        longer = links[np.arange(len(links)), reach[links].argmax(axis=1)]
        lengths = np.where(lengths == raw[longer], reach[longer], self._distance(lengths))
        to_copies = np.column_stack([copies - 1, copies])
        return np.concatenate([links, to_copies]), np.concatenate([lengths, reach[copies]])

    def _one_a_spot(self, rows: Rows, rank: Rows) -> Rows:
        """Of equal points that stand side by side in the row order only the one of the lowest rank."""
        changes = self._changes(self._columns[:, rows])
        return rows[np.lexsort((rank[rows], np.cumsum(changes)))[changes]]

    def _changes(self, columns: Values) -> Flags:
        """Which of some points do not equal the one before them."""
        return np.concatenate([[True], (columns[:, 1:] != columns[:, :-1]).any(axis=0)])

    def _boxed(self, rows: Rows, weights: Values | None = None) -> BoxTree:
        order = np.argsort(self._slot[rows])
        own = np.zeros(len(rows)) if weights is None else weights
        return BoxTree(self._columns[:, rows], own, city=self._city, order=order)

    def _distance(self, raw: Values) -> Values:
        return raw if self._city else np.sqrt(raw)

    def _limit(self, radius: float) -> float:
        """The largest square whose root is no larger than the radius: rounding decides nothing."""
        if self._city:
            return radius
        limit = radius * radius
        while np.sqrt(limit) > radius:
            limit = float(np.nextafter(limit, 0.0))
        while np.sqrt(np.nextafter(limit, np.inf)) <= radius:
            limit = float(np.nextafter(limit, np.inf))
        return limit


class PairNeighbours:
    """Any distances, worked out block by block whenever they are needed: O(n²) each time, O(n) held."""

    def __init__(self, distances: Geometry) -> None:
        self.between = distances.between
        self._everyone = np.arange(distances.size)

    def nth_distances(self, nth: int) -> Values:
        return self._by_rows(lambda apart: np.partition(apart, nth - 1, axis=1)[:, nth - 1])

    def have_near(self, radius: float, enough: int) -> Flags:
        return np.asarray(self._by_rows(lambda apart: (apart <= radius).sum(axis=1)) >= enough)

    def groups(self, rows: Rows, radius: float) -> Rows:
        parent = np.arange(len(rows))
        for block in self._blocks(len(rows), len(rows)):
            link_rows(self.between(rows[block], rows) <= radius, block.start, parent)
        return np.asarray(groups_of(parent))

    def nearest(self, rows: Rows, among: Rows, rank: Rows) -> tuple[Rows, Values]:
        ranked = among[np.argsort(rank[among])]
        found, value = np.empty(len(rows), dtype=np.intp), np.empty(len(rows))
        for block in self._blocks(len(rows), len(ranked)):
            apart = self.between(rows[block], ranked)
            first = apart.argmin(axis=1)
            found[block], value[block] = ranked[first], apart[np.arange(len(first)), first]
        return found, value

    def links(self, reach: Values, advance: Callable[[int], None]) -> tuple[Rows, Values]:
        everyone = self._everyone

        def from_one(row: int) -> Values:
            apart = np.maximum(self.between(everyone[row : row + 1], everyone)[0], reach)
            return np.asarray(np.maximum(apart, reach[row]))

        return links_by_rows(len(everyone), from_one, advance)

    def _by_rows(self, read: Callable[[Values], Values]) -> Values:
        everyone = self._everyone
        rows = self._block_rows(len(everyone))
        parts = map_blocks(lambda block: read(self.between(everyone[block], everyone)), len(everyone), rows)
        return np.asarray(np.concatenate(list(parts)))

    def _blocks(self, rows: int, others: int) -> list[slice]:
        size = self._block_rows(others)
        return [slice(start, min(start + size, rows)) for start in range(0, rows, size)]

    def _block_rows(self, others: int) -> int:
        return int(np.clip(_CELLS // max(others, 1), 1, _MOST_ROWS))
