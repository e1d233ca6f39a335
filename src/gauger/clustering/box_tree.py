"""A tree of boxes around points, for finding what is near without looking at everything.

The tree is implicit: points stand in its order, node i of level l holds the points i * m >> l up to (i + 1) * m >> l,
and its children are the nodes 2 i and 2 i + 1 of the level below. Nodes are numbered like a heap, the root being 1.
A slot whose point is infinite is empty. The kernels keep to one signature each.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.clustering.blocks import map_blocks
from gauger.clustering.kernels import TILE, tile_distances

LEAF = 60
"""The most points of a leaf: they fit into one tile."""
SLACK = 1e-10
"""Relative: distances this close count as equal, far above what rounding does to them."""

_DEEPEST = 40
_BLOCK = 1_024

Values = NDArray[np.float64]
Slots = NDArray[np.int64]


def levels_for(points: int) -> int:
    """How many times to halve so many points until no leaf holds more than 60."""
    return max(0, int(np.ceil(np.log2(max(points, 1) / LEAF))))


class BoxTree:
    """Points (d, m) with weights (m,), put in the order of their boxes; `order` says where each came from."""

    def __init__(self, points: Values, weights: Values) -> None:
        self.levels = levels_for(points.shape[1])
        self.order = np.arange(points.shape[1])
        order_into_boxes(points, self.levels, self.order)
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
        """For each slot the nearest one of another group, groups (m,) saying who belongs together; and how far."""
        home = np.empty(2 << self.levels, dtype=np.int64)
        fit_homes(groups, self.levels, home)
        found, value = np.empty(len(slots), dtype=np.int64), np.empty(len(slots))
        around = (self.points, groups, self.levels, self.low, self.high, home, slots)

        def look(rows: slice) -> None:
            nearest_outside_block(*around, rows.start, rows.stop, found, value)

        for _ in map_blocks(look, len(slots), _BLOCK):
            pass
        return found, value


@njit(nogil=True, cache=True)
def order_into_boxes(points, levels, order):
    """Rearrange order (m,), places in points (d, m), so that each node's points stand together.

    Each node is halved at the median of its widest side, in the order given where points are equal.
    """
    m = order.shape[0]
    for level in range(levels):
        for node in range(1 << level):
            first, stop = node * m >> level, (node + 1) * m >> level
            if stop - first < 2:
                continue
            widest, side = -1.0, 0
            for f in range(points.shape[0]):
                low, high = np.inf, -np.inf
                for place in range(first, stop):
                    value = points[f, order[place]]
                    low, high = min(low, value), max(high, value)
                if high - low > widest:
                    widest, side = high - low, f
            values = np.empty(stop - first)
            for place in range(first, stop):
                values[place - first] = points[side, order[place]]
            order[first:stop] = order[first:stop][np.argsort(values, kind="mergesort")]


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


@njit(nogil=True, cache=True, inline="always")
def _box_distance(low, high, node, point):
    """The least that a squared distance from the point (d,) into the node's box can be."""
    total = 0.0
    for f in range(point.shape[0]):
        gap = max(low[node, f] - point[f], point[f] - high[node, f], 0.0)
        total += gap * gap
    return total


@njit(nogil=True, cache=True, inline="always")
def link_rank(one, other):
    """A number for each pair of slots, the same both ways round, that looks drawn by lot.

    Among equal distances the pair of the lowest rank counts as nearest. Were it the lowest slot, rows of evenly spaced
    points would all look the same way, and of each row only two would be each other's nearest.
    """
    low, high = np.uint64(min(one, other)), np.uint64(max(one, other))
    h = (low * np.uint64(0x9E3779B97F4A7C15)) ^ (high * np.uint64(0xC2B2AE3D27D4EB4F))
    return (h ^ (h >> np.uint64(29))) * np.uint64(0xBF58476D1CE4E5B9)


@njit(nogil=True, cache=True, inline="always")
def _worth(mine, other, weighted):
    """What a squared distance is multiplied by: 2 m n / (m + n) for Ward's increase, else 1."""
    return 2.0 * mine * other / (mine + other) if weighted else 1.0


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


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def _nearest_in_leaf(points, weights, weighted, slot, point, start, stop, distance, best, second, found):
    """What is nearest so far, and how far the runner-up is, once the slots from start to stop are looked at too."""
    for first in range(start, stop, TILE):
        size = min(TILE, stop - first)
        tile_distances(points, first, size, point, distance)
        for r in range(size):
            here = distance[r] * _worth(weights[slot], weights[first + r], weighted)
            if here <= second and first + r != slot:
                if here < best or (here == best and link_rank(slot, first + r) < link_rank(slot, found)):
                    second, best, found = best, here, first + r
                else:
                    second = here
    return best, second, found


@njit(nogil=True, cache=True, fastmath={"contract"})
def nearest_to(points, weights, levels, low, high, least, weighted, slot):
    """The nearest other point of a slot: its slot, the squared distance, and the runner-up's; ties by `link_rank`.

    What is pruned is not looked at, so that the runner-up's distance is true only where it is as near as the nearest.

    With `weighted`, squared distances are multiplied by 2 m n / (m + n) of the two weights, which is twice what a merge
    of two segments adds to the sum of squares. -1 and infinity where there is no other.
    """
    m = points.shape[1]
    stack = np.empty(_DEEPEST, np.int64)
    bounds = np.empty(_DEEPEST)
    distance = np.empty(TILE)
    point = points[:, slot].copy()
    mine = weights[slot]
    first_leaf = 1 << levels
    best, second, found = np.inf, np.inf, -1
    stack[0], bounds[0], height = 1, 0.0, 1
    while height:
        height -= 1
        node = stack[height]
        if bounds[height] > best * (1.0 + SLACK):
            continue
        while 0 <= node < first_leaf:
            one, other = 2 * node, 2 * node + 1
            to_one = _box_distance(low, high, one, point) * _worth(mine, least[one], weighted)
            to_other = _box_distance(low, high, other, point) * _worth(mine, least[other], weighted)
            if to_other < to_one:
                one, other = other, one
                to_one, to_other = to_other, to_one
            if to_other <= best * (1.0 + SLACK):
                stack[height], bounds[height] = other, to_other
                height += 1
            node = one if to_one <= best * (1.0 + SLACK) else -1
        if node < 0:
            continue
        start, stop = (node - first_leaf) * m >> levels, (node - first_leaf + 1) * m >> levels
        best, second, found = _nearest_in_leaf(
            points, weights, weighted, slot, point, start, stop, distance, best, second, found
        )
    return found, best, second


@njit(nogil=True, cache=True)
def nearest_block(points, weights, levels, low, high, least, weighted, slots, start, stop, nearest, value, rival):
    """As `nearest_to` for each of slots[start:stop], into nearest, value and rival at the same places."""
    for place in range(start, stop):
        nearest[place], value[place], rival[place] = nearest_to(
            points, weights, levels, low, high, least, weighted, slots[place]
        )


@njit(nogil=True, cache=True)
def fit_homes(groups, levels, home):
    """Write into home (2 << levels,) the group that all slots of a node are in, -1 where they differ."""
    m = groups.shape[0]
    for leaf in range(1 << levels):
        first, stop = leaf * m >> levels, (leaf + 1) * m >> levels
        home[(1 << levels) + leaf] = groups[first]
        for slot in range(first, stop):
            if groups[slot] != groups[first]:
                home[(1 << levels) + leaf] = -1
    for node in range((1 << levels) - 1, 0, -1):
        home[node] = home[2 * node] if home[2 * node] == home[2 * node + 1] else -1


@njit(nogil=True, cache=True, fastmath={"contract"})
def nearest_outside_block(points, groups, levels, low, high, home, slots, start, stop, nearest, value):
    """The nearest point of another group for each of slots[start:stop]: its slot and the squared distance.

    Ties go to the lower slot. groups (m,) say who belongs together, home the same of whole nodes. Writes nearest and
    value at the same places as slots.
    """
    m = points.shape[1]
    stack = np.empty(_DEEPEST, np.int64)
    bounds = np.empty(_DEEPEST)
    first_leaf = 1 << levels
    for place in range(start, stop):
        slot = slots[place]
        point = points[:, slot].copy()
        best, found = np.inf, -1
        stack[0], bounds[0], height = 1, 0.0, 1
        while height:
            height -= 1
            node, bound = stack[height], bounds[height]
            if bound > best or home[node] == groups[slot]:
                continue
            if node < first_leaf:
                one, other = 2 * node, 2 * node + 1
                to_one = _box_distance(low, high, one, point) * (1.0 - SLACK)
                to_other = _box_distance(low, high, other, point) * (1.0 - SLACK)
                if to_one < to_other:
                    one, other, to_one, to_other = other, one, to_other, to_one
                stack[height], bounds[height] = one, to_one
                stack[height + 1], bounds[height + 1] = other, to_other
                height += 2
                continue
            leaf = node - first_leaf
            best, found = _nearest_stranger(
                points, groups, slot, point, leaf * m >> levels, (leaf + 1) * m >> levels, best, found
            )
        nearest[place], value[place] = found, best


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def _nearest_stranger(points, groups, slot, point, start, stop, best, found):
    """The nearest of another group so far, once the slots from start to stop are looked at too."""
    for other in range(start, stop):
        if groups[other] == groups[slot]:
            continue
        here = 0.0
        for f in range(point.shape[0]):
            gap = points[f, other] - point[f]
            here += gap * gap
        if here < best or (here == best and other < found):
            best, found = here, other
    return best, found
