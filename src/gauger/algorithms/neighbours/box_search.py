"""Looking for what is near in a tree of boxes: the compiled loops behind `BoxTree`.

A leaf fits into one tile. The kernels take the tree's arrays as they are and keep to one signature each.
"""

import numpy as np
from numba import njit

from gauger.algorithms.distances import TILE, tile_distances

SLACK = 1e-10
"""Relative: distances this close count as equal, far above what rounding does to them."""

_DEEPEST = 40
"""Levels that a search can stack: a tree of 2^40 leaves."""


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def tile_raw(points, first, size, point, city, distance):
    """How far the `size` slots from first on are from a point (d,), into distance: squared, or city-block if `city`."""
    if not city:
        tile_distances(points, first, size, point, distance)
        return
    distance[:size] = 0.0
    for f in range(points.shape[0]):
        c = point[f]
        column = points[f, first : first + size]
        for r in range(size):
            distance[r] += abs(column[r] - c)


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def point_raw(points, slot, point, city):
    """How far one slot is from a point (d,), as `tile_raw` has it."""
    total = 0.0
    for f in range(point.shape[0]):
        gap = points[f, slot] - point[f]
        total += abs(gap) if city else gap * gap
    return total


@njit(nogil=True, cache=True, inline="always")
def box_raw(low, high, node, point, city):
    """The least that `tile_raw` can say of a point (d,) and what is in the node's box."""
    total = 0.0
    for f in range(point.shape[0]):
        gap = max(low[node, f] - point[f], point[f] - high[node, f], 0.0)
        total += gap if city else gap * gap
    return total


@njit(nogil=True, cache=True, inline="always")
def far_raw(low, high, node, point, city):
    """The most that `tile_raw` can say of a point (d,) and what is in the node's box."""
    total = 0.0
    for f in range(point.shape[0]):
        gap = max(high[node, f] - point[f], point[f] - low[node, f])
        total += gap if city else gap * gap
    return total


@njit(nogil=True, cache=True, inline="always")
def slots_of(node, level, m):
    """The first slot of a node of a level, and the one after its last, of m."""
    index = node - (1 << level)
    return index * m >> level, (index + 1) * m >> level


@njit(nogil=True, cache=True, inline="always")
def link_rank(one, other):
    """A number for each pair of slots, the same both ways round, that looks random.

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


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def _nearest_in_leaf(points, weights, weighted, slot, point, start, stop, distance, best, second, found):
    """What is nearest so far, and how far the runner-up is, once the slots from start to stop are looked at too."""
    for first in range(start, stop, TILE):
        size = min(TILE, stop - first)
        tile_distances(points, first, size, point, distance)
        for r in range(size):
            here = distance[r] * _worth(weights[slot], weights[first + r], weighted)
            if here <= second and first + r != slot:
                if here < best or (here == best and found >= 0 and link_rank(slot, first + r) < link_rank(slot, found)):
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
            to_one = box_raw(low, high, one, point, False) * _worth(mine, least[one], weighted)
            to_other = box_raw(low, high, other, point, False) * _worth(mine, least[other], weighted)
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
    for index in range(start, stop):
        nearest[index], value[index], rival[index] = nearest_to(
            points, weights, levels, low, high, least, weighted, slots[index]
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
def nearest_outside_block(points, reach, levels, low, high, least, city, groups, home, slots, start, stop, near, value):
    """The nearest point of another group for each of slots[start:stop]: its slot and how far it is.

    No distance counts as less than the reach (m,) of either end, `least` being the smallest of each node. groups (m,)
    say who belongs together, home the same of whole nodes. Of what is as near the first that is found is taken; nothing
    is nearer than the own reach, so that the search stops there. Writes near and value at the same places as slots.
    """
    m = points.shape[1]
    stack = np.empty(_DEEPEST, np.int64)
    bounds = np.empty(_DEEPEST)
    first_leaf = 1 << levels
    for index in range(start, stop):
        slot = slots[index]
        point = points[:, slot].copy()
        mine = reach[slot]
        best, found = np.inf, -1
        stack[0], bounds[0], height = 1, 0.0, 1
        while height and best > mine:
            height -= 1
            node, bound = stack[height], bounds[height]
            if bound > best or home[node] == groups[slot]:
                continue
            if node < first_leaf:
                one, other = 2 * node, 2 * node + 1
                to_one = max(box_raw(low, high, one, point, city) * (1.0 - SLACK), least[one])
                to_other = max(box_raw(low, high, other, point, city) * (1.0 - SLACK), least[other])
                if to_one < to_other:
                    one, other, to_one, to_other = other, one, to_other, to_one
                stack[height], bounds[height] = one, to_one
                stack[height + 1], bounds[height + 1] = other, to_other
                height += 2
                continue
            leaf = node - first_leaf
            first, last = leaf * m >> levels, (leaf + 1) * m >> levels
            best, found = _nearest_stranger(points, reach, groups, slot, point, first, last, city, best, found)
        near[index], value[index] = found, best


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def _nearest_stranger(points, reach, groups, slot, point, start, stop, city, best, found):
    """The nearest of another group so far, once the slots from start to stop are looked at too; ties to the lower."""
    for other in range(start, stop):
        if groups[other] == groups[slot]:
            continue
        here = max(point_raw(points, other, point, city), reach[slot], reach[other])
        if here < best or (here == best and other < found):
            best, found = here, other
    return best, found


@njit(nogil=True, cache=True, inline="always")
def _descend(low, high, point, city, first_leaf, node, stack, bounds, height):
    """From a node down to the leaf nearest to a point; what is passed by goes onto the stack, with its bound."""
    while node < first_leaf:
        one, other = 2 * node, 2 * node + 1
        to_one = box_raw(low, high, one, point, city)
        to_other = box_raw(low, high, other, point, city)
        if to_other < to_one:
            one, other, to_one, to_other = other, one, to_other, to_one
        stack[height], bounds[height] = other, to_other * (1.0 - SLACK)
        height += 1
        node = one
    return node, height


@njit(nogil=True, cache=True, fastmath={"contract"})
def nth_block(points, levels, low, high, city, nth, start, stop, value):
    """How far the nth nearest point is from each slot from start to stop, the slot itself being the first of them."""
    m = points.shape[1]
    stack = np.empty(_DEEPEST, np.int64)
    bounds = np.empty(_DEEPEST)
    distance = np.empty(TILE)
    nearest = np.empty(nth)
    first_leaf = 1 << levels
    for slot in range(start, stop):
        point = points[:, slot].copy()
        nearest[:] = np.inf
        stack[0], bounds[0], height = 1, 0.0, 1
        while height:
            height -= 1
            node = stack[height]
            if bounds[height] >= nearest[0]:
                continue
            node, height = _descend(low, high, point, city, first_leaf, node, stack, bounds, height)
            leaf = node - first_leaf
            first, last = leaf * m >> levels, (leaf + 1) * m >> levels
            tile_raw(points, first, last - first, point, city, distance)
            for r in range(last - first):
                if distance[r] < nearest[0]:
                    _replace_farthest(nearest, distance[r])
        value[slot] = nearest[0]


@njit(nogil=True, cache=True, inline="always")
def _replace_farthest(heap, value):
    """Put a value in the place of the largest of a heap, which stands first."""
    index, size = 0, heap.shape[0]
    while True:
        child = 2 * index + 1
        if child + 1 < size and heap[child + 1] > heap[child]:
            child += 1
        if child >= size or heap[child] <= value:
            break
        heap[index] = heap[child]
        index = child
    heap[index] = value


@njit(nogil=True, cache=True, fastmath={"contract"})
def count_block(points, levels, low, high, city, limit, enough, start, stop, many):
    """How many points are within the limit of each slot from start to stop, itself among them; counts up to enough."""
    m = points.shape[1]
    stack = np.empty(_DEEPEST, np.int64)
    depth = np.empty(_DEEPEST, np.int64)
    distance = np.empty(TILE)
    for slot in range(start, stop):
        point = points[:, slot].copy()
        inside = 0
        stack[0], depth[0], height = 1, 0, 1
        while height and inside < enough:
            height -= 1
            node, level = stack[height], depth[height]
            first, last = slots_of(node, level, m)
            if far_raw(low, high, node, point, city) * (1.0 + SLACK) <= limit:
                inside += last - first
            elif level < levels:
                one, other = 2 * node, 2 * node + 1
                to_one = box_raw(low, high, one, point, city)
                to_other = box_raw(low, high, other, point, city)
                if to_one < to_other:
                    one, other, to_one, to_other = other, one, to_other, to_one
                for child, bound in ((one, to_one), (other, to_other)):
                    if bound * (1.0 - SLACK) <= limit:
                        stack[height], depth[height] = child, level + 1
                        height += 1
            else:
                tile_raw(points, first, last - first, point, city, distance)
                for r in range(last - first):
                    inside += distance[r] <= limit
        many[slot] = min(inside, enough)


@njit(nogil=True, cache=True, fastmath={"contract"})
def nearest_of_block(points, rank, levels, low, high, city, queries, start, stop, found, value):
    """The slot nearest to each of the queries (d, q) from start to stop, and how far it is; ties by the lower rank."""
    m = points.shape[1]
    stack = np.empty(_DEEPEST, np.int64)
    bounds = np.empty(_DEEPEST)
    distance = np.empty(TILE)
    first_leaf = 1 << levels
    for query in range(start, stop):
        point = queries[:, query].copy()
        best, slot = np.inf, -1
        stack[0], bounds[0], height = 1, 0.0, 1
        while height:
            height -= 1
            node = stack[height]
            if bounds[height] > best:
                continue
            node, height = _descend(low, high, point, city, first_leaf, node, stack, bounds, height)
            leaf = node - first_leaf
            first, last = leaf * m >> levels, (leaf + 1) * m >> levels
            tile_raw(points, first, last - first, point, city, distance)
            for r in range(last - first):
                here = distance[r]
                if here < best or (here == best and rank[first + r] < rank[slot]):
                    best, slot = here, first + r
        found[query], value[query] = slot, best
