"""Centroid and median linkage: always the closest pair next, since a merge can bring branches closer than before.

A branch is a point: the mean of its members (centroid, UPGMC), or the point halfway between those of its two parts
(median, WPGMC). Each pair of branches is the younger one's to watch: it looks for its nearest among those that are
there when it is made, and looks again only when that one is gone and its old distance, now a bound, is the least of all
(after Müllner 2011, arXiv:1109.2378). O(n d) memory.
"""

from collections.abc import Callable

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.merge_trees.merges import Merges
from gauger.algorithms.neighbours import SLACK, BoxTree, nearest_to, refit_path

_CROWDED = 0.6
"""Once fewer than this share of the slots are taken, the rest move together: moving costs about as much as it saves."""

Values = NDArray[np.float64]


def merge_closest_points(columns: Values, weights: Values, by_size: bool, advance: Callable[[int], None]) -> Merges:
    """Every merge of the points (d, n), in the order in which they happen; heights are squared distances.

    `by_size` weighs the parts of a branch by their sizes (centroid), else both count alike (median).
    """
    n = columns.shape[1]
    merges = Merges(n)
    points, sizes, node = columns, weights.astype(np.float64), np.arange(n)
    while merges.done < n - 1:
        boxes = BoxTree(points, np.ones(len(node)))
        sizes, node = sizes[boxes.order], node[boxes.order]
        nearest, value, rival = boxes.nearest(np.arange(len(node)))
        merges.tied |= bool(((rival <= value * (1.0 + SLACK)) & (value > 0.0)).any())
        steps = min(max(int((1.0 - _CROWDED) * len(node)), 1), n - 1 - merges.done)
        pairs, heights = np.empty((steps, 2), dtype=np.int64), np.empty(steps)
        merges.tied |= bool(
            merge_closest(
                boxes.points,
                boxes.weights,
                boxes.levels,
                boxes.low,
                boxes.high,
                boxes.least,
                sizes,
                by_size,
                nearest,
                value,
                pairs,
                heights,
            )
        )
        for index, (one, other) in enumerate(pairs.tolist()):
            node[one] = merges.add(node[[one]], node[[other]], heights[[index]])[0]
        advance(steps)
        kept = np.flatnonzero(boxes.points[0] < np.inf)
        points, sizes, node = np.ascontiguousarray(boxes.points[:, kept]), sizes[kept], node[kept]
    return merges


@njit(nogil=True, cache=True, inline="always")
def _play(soonest, value, node):
    """Let the two slots below a node of the tournament meet: the lesser value goes on, the first where equal."""
    one, other = soonest[2 * node], soonest[2 * node + 1]
    soonest[node] = other if other >= 0 and value[other] < value[one] else one


@njit(nogil=True, cache=True, inline="always")
def _tell(soonest, value, slot):
    """Carry a slot's new value up the tournament: soonest (2 * width,) holds at each node the slot that is least."""
    node = (soonest.shape[0] // 2 + slot) // 2
    while node:
        _play(soonest, value, node)
        node //= 2


@njit(nogil=True, cache=True)
def merge_closest(points, ones, levels, low, high, least, sizes, by_size, nearest, value, pairs, heights):
    """Join the closest pair as often as there is room in pairs (steps, 2) and heights (steps,), squared distances.

    points (d, m) in the boxes low, high and least, ones (m,) for their weights, sizes (m,) of the branches; nearest and
    value (m,) are each one's nearest other and its squared distance. Changes all of them. Returns whether a branch was
    joined that had two as near. Long because looking, joining and the tournament share one state.
    """
    d, m = points.shape
    version, seen = np.zeros(m, np.int64), np.zeros(m, np.int64)
    width = 1
    while width < m:
        width *= 2
    soonest = np.full(2 * width, -1, np.int64)
    for slot in range(m):
        soonest[width + slot] = slot
    for node in range(width - 1, 0, -1):
        _play(soonest, value, node)
    tied = False
    for step in range(pairs.shape[0]):
        a = soonest[1]
        while seen[a] != version[nearest[a]]:
            nearest[a], value[a], rival = nearest_to(points, ones, levels, low, high, least, False, a)
            tied |= rival <= value[a] * (1.0 + SLACK) and value[a] > 0.0
            seen[a] = version[nearest[a]]
            _tell(soonest, value, a)
            a = soonest[1]
        b = nearest[a]
        pairs[step, 0], pairs[step, 1], heights[step] = a, b, value[a]
        share = sizes[b] / (sizes[a] + sizes[b]) if by_size else 0.5
        for f in range(d):
            points[f, a] += (points[f, b] - points[f, a]) * share
            points[f, b] = np.inf
        sizes[a] += sizes[b]
        version[a] += 1
        version[b] += 1
        refit_path(points, levels, low, high, a)
        refit_path(points, levels, low, high, b)
        value[b] = np.inf
        _tell(soonest, value, b)
        nearest[a], value[a], rival = nearest_to(points, ones, levels, low, high, least, False, a)
        tied |= rival <= value[a] * (1.0 + SLACK) and 0.0 < value[a] < np.inf
        seen[a] = version[nearest[a]]
        _tell(soonest, value, a)
    return tied
