"""A tree of boxes around points, for finding what is near without looking at everything.

The tree is implicit: points stand in its order, node i of level l holds the points i * m >> l up to (i + 1) * m >> l,
and its children are the nodes 2 i and 2 i + 1 of the level below. Nodes are numbered like a heap, the root being 1.
A slot whose point is infinite is empty. The kernels keep to one signature each.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.neighbours.box_search import (
    count_block,
    fit_homes,
    nearest_block,
    nearest_of_block,
    nearest_outside_block,
    nth_block,
)
from gauger.algorithms.parallel import map_blocks

LEAF = 60
"""The most points of a leaf: they fit into one tile."""
_BLOCK = 1_024
"""Slots a call; decides nothing but speed."""

Values = NDArray[np.float64]
Slots = NDArray[np.int64]


def levels_for(points: int) -> int:
    """How many times to halve so many points until no leaf holds more than 60."""
    return max(0, int(np.ceil(np.log2(max(points, 1) / LEAF))))


class BoxTree:
    """Points (d, m) with weights (m,), put in the order of their boxes; `order` says where each came from.

    Distances are squared Euclidean ones, or with `city` city-block ones. A good `order` (m,), such as that of the same
    points in a larger tree, spares the search for one; any gives right answers.
    """

    def __init__(self, points: Values, weights: Values, *, city: bool = False, order: Slots | None = None) -> None:
        self.city = city
        self.levels = levels_for(points.shape[1])
        self.order = order_into_boxes(points, self.levels) if order is None else order
        self.points = np.ascontiguousarray(points[:, self.order])
        self.weights = weights[self.order]
        nodes = 2 << self.levels
        self.low, self.high = np.empty((nodes, len(points))), np.empty((nodes, len(points)))
        self.least = np.empty(nodes)
        self.refit()

    def refit(self) -> None:
        """Fit the boxes again, after points or weights have changed."""
        fit_boxes(self.points, self.weights, self.levels, self.low, self.high, self.least)

    def nearest(self, slots: Slots, *, weighted: bool = False) -> tuple[Slots, Values, Values]:
        """For each slot the nearest other one, its squared distance and the runner-up's, as `nearest_to` does."""
        found, value, rival = np.empty(len(slots), dtype=np.int64), np.empty(len(slots)), np.empty(len(slots))
        boxes = (self.points, self.weights, self.levels, self.low, self.high, self.least)

        def look(rows: slice) -> None:
            nearest_block(*boxes, weighted, slots, rows.start, rows.stop, found, value, rival)

        for _ in map_blocks(look, len(slots), _BLOCK):
            pass
        return found, value, rival

    def nearest_outside(self, groups: Slots, slots: Slots) -> tuple[Slots, Values]:
        """For each slot the nearest one of another group, groups (m,) saying who belongs together; and how far.

        The weights are reaches: no distance counts as less than that of either end.
        """
        home = np.empty(2 << self.levels, dtype=np.int64)
        fit_homes(groups, self.levels, home)
        found, value = np.empty(len(slots), dtype=np.int64), np.empty(len(slots))
        boxes = (self.points, self.weights, self.levels, self.low, self.high, self.least, self.city)

        def look(rows: slice) -> None:
            nearest_outside_block(*boxes, groups, home, slots, rows.start, rows.stop, found, value)

        for _ in map_blocks(look, len(slots), _BLOCK):
            pass
        return found, value

    def nth_distances(self, nth: int) -> Values:
        """For each slot how far its nth nearest is, the slot itself being the first."""
        value = np.empty(self.points.shape[1])
        boxes = (self.points, self.levels, self.low, self.high, self.city)
        for _ in map_blocks(lambda rows: nth_block(*boxes, nth, rows.start, rows.stop, value), len(value), _BLOCK):
            pass
        return value

    def counts_within(self, limit: float, enough: int) -> Slots:
        """For each slot how many are within the limit, itself among them; no more than `enough` are counted."""
        many = np.empty(self.points.shape[1], dtype=np.int64)
        boxes = (self.points, self.levels, self.low, self.high, self.city, limit)
        for _ in map_blocks(lambda rows: count_block(*boxes, enough, rows.start, rows.stop, many), len(many), _BLOCK):
            pass
        return many

    def nearest_of(self, queries: Values, rank: Slots) -> tuple[Slots, Values]:
        """For each of the queries (d, q) the nearest slot, of those as near the one of the lowest rank; and how far."""
        found, value = np.empty(queries.shape[1], dtype=np.int64), np.empty(queries.shape[1])
        boxes = (self.points, rank, self.levels, self.low, self.high, self.city, queries)

        def look(rows: slice) -> None:
            nearest_of_block(*boxes, rows.start, rows.stop, found, value)

        for _ in map_blocks(look, len(value), _BLOCK):
            pass
        return found, value


def order_into_boxes(points: Values, levels: int) -> Slots:
    """An order (m,) of points (d, m) in which each node's points stand together: halved at the median of its widest
    side, level by level."""
    m = points.shape[1]
    order = np.arange(m)
    for level in range(levels):
        for node in range(1 << level):
            first, middle, stop = (index * m >> level + 1 for index in (2 * node, 2 * node + 1, 2 * node + 2))
            own = points[:, order[first:stop]]
            side = own[(own.max(axis=1) - own.min(axis=1)).argmax()]
            order[first:stop] = order[first:stop][np.argpartition(side, middle - first)]
    return order


@njit(nogil=True, cache=True)
def fit_boxes(points, weights, levels, low, high, least):
    """Fit low, high (2 << levels, d) and least (2 << levels,) around the points (d, m) that are there.

    `least` is the smallest of the weights (m,) in a node, 1 where nobody is.
    """
    d, m = points.shape
    low[:] = np.inf
    high[:] = -np.inf
    least[:] = np.inf
    for leaf in range(1 << levels):
        node = (1 << levels) + leaf
        for slot in range(leaf * m >> levels, (leaf + 1) * m >> levels):
            if points[0, slot] < np.inf:
                least[node] = min(least[node], weights[slot])
                for f in range(d):
                    low[node, f] = min(low[node, f], points[f, slot])
                    high[node, f] = max(high[node, f], points[f, slot])
    for node in range((1 << levels) - 1, 0, -1):
        least[node] = min(least[2 * node], least[2 * node + 1])
        for f in range(d):
            low[node, f] = min(low[2 * node, f], low[2 * node + 1, f])
            high[node, f] = max(high[2 * node, f], high[2 * node + 1, f])
    for node in range(least.shape[0]):
        if least[node] == np.inf:
            least[node] = 1.0


@njit(nogil=True, cache=True)
def refit_path(points, levels, low, high, slot):
    """Refit the boxes that hold a slot, after its point has changed."""
    d, m = points.shape
    leaf = ((slot + 1 << levels) - 1) // m
    node = (1 << levels) + leaf
    low[node] = np.inf
    high[node] = -np.inf
    for other in range(leaf * m >> levels, (leaf + 1) * m >> levels):
        if points[0, other] < np.inf:
            for f in range(d):
                low[node, f] = min(low[node, f], points[f, other])
                high[node, f] = max(high[node, f], points[f, other])
    while node > 1:
        node >>= 1
        for f in range(d):
            low[node, f] = min(low[2 * node, f], low[2 * node + 1, f])
            high[node, f] = max(high[2 * node, f], high[2 * node + 1, f])
