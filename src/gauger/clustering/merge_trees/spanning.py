"""Single linkage through the minimum spanning tree, in O(n) memory."""

from collections.abc import Callable

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.clustering.box_tree import SLACK
from gauger.clustering.merge_trees.joins import Joins

Values = NDArray[np.float64]
FromOne = Callable[[int], Values]


def join_nearest_neighbours(n: int, from_one: FromOne, advance: Callable[[int], None]) -> Joins:
    """Every merge of n leaves whose distances from one of them are `from_one(leaf)` (n,), by height.

    The tree of the shortest links grows from leaf 0 (Prim 1957); its links by length are the merges (Gower & Ross 1969,
    Applied Statistics 18(1), 54-64). O(n²) distances, none held. Where two links are as long, other links may be taken,
    but the segments at any height are the same.
    """
    closest, source = np.full(n, np.inf), np.zeros(n, dtype=np.int64)
    ends, lengths = np.empty((n - 1, 2), dtype=np.int64), np.empty(n - 1)
    last = 0
    for step in range(n - 1):
        other = int(reach_out(from_one(last), closest, source, last))
        ends[step], lengths[step] = (source[other], other), closest[other]
        last = other
        advance(1)
    order = np.argsort(lengths, kind="stable")
    joins = Joins(n)
    left, right = np.empty(n - 1, dtype=np.int64), np.empty(n - 1, dtype=np.int64)
    link_branches(ends[order], left, right)
    joins.add(left, right, lengths[order])
    joins.tied = bool(((np.diff(joins.height) <= SLACK * joins.height[1:]) & (joins.height[1:] > 0.0)).any())
    return joins


@njit(nogil=True, cache=True)
def reach_out(distances, closest, source, last):
    """Take the leaf `last` in: update closest and source (n,) by its distances (n,); returns the nearest leaf outside.

    closest is -1 for leaves that are in.
    """
    closest[last] = -1.0
    best, found = np.inf, -1
    for leaf in range(closest.shape[0]):
        if closest[leaf] < 0.0:
            continue
        if distances[leaf] < closest[leaf]:
            closest[leaf], source[leaf] = distances[leaf], last
        if closest[leaf] < best or found < 0:
            best, found = closest[leaf], leaf
    return found


@njit(nogil=True, cache=True)
def link_branches(ends, left, right):
    """The branches that links (n - 1, 2) between leaves join, in order; the i-th makes the node n + i."""
    n = ends.shape[0] + 1
    parent = np.arange(2 * n - 1)
    for step in range(n - 1):
        for side in range(2):
            node = ends[step, side]
            while parent[node] != node:
                parent[node] = parent[parent[node]]
                node = parent[node]
            if side == 0:
                left[step] = node
            else:
                right[step] = node
            parent[node] = n + step
