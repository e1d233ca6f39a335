"""The shortest links that hold all points together: a minimum spanning tree, in O(n) memory.

Every group that any threshold of distance makes follows from it. Where two links are as long, others might have been
taken, but the groups at any threshold are the same.
"""

from collections.abc import Callable

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.neighbours.box_tree import BoxTree
from gauger.algorithms.neighbours.union_find import link_groups

Values = NDArray[np.float64]
Links = NDArray[np.int64]
FromOne = Callable[[int], Values]


def links_by_rows(n: int, from_one: FromOne, advance: Callable[[int], None]) -> tuple[Links, Values]:
    """The links (n - 1, 2) of n points whose distances from one of them are `from_one(point)` (n,); how long.

    The tree grows from point 0 by the shortest link (Prim 1957, Bell System Technical Journal 36(6), 1389-1401).
    O(n²) distances, none held.
    """
    closest, source = np.full(n, np.inf), np.zeros(n, dtype=np.int64)
    links, lengths = np.empty((n - 1, 2), dtype=np.int64), np.empty(n - 1)
    last = 0
    for step in range(n - 1):
        other = int(reach_out(from_one(last), closest, source, last))
        links[step], lengths[step] = (source[other], other), closest[other]
        last = other
        advance(1)
    return links, lengths


def links_in_boxes(boxes: BoxTree, advance: Callable[[int], None]) -> tuple[Links, Values]:
    """The same of the points of a box tree, links between slots, without most of the distances.

    The weights are reaches: no link is shorter than that of either end. In each round every group takes its shortest
    link to another (Borůvka 1926); the box tree finds it, and a point looks again only when what was nearest has joined
    its own group and the group knows of nothing nearer.
    """
    n = boxes.points.shape[1]
    groups = np.arange(n)
    nearest, value = np.arange(n), boxes.weights.copy()
    links, lengths = np.empty((n - 1, 2), dtype=np.int64), np.empty(n - 1)
    done = 0
    while done < n - 1:
        outside = groups[nearest] != groups
        known = np.full(n, np.inf)
        np.minimum.at(known, groups[outside], value[outside])
        due = np.flatnonzero(~outside & (value <= known[groups]))
        nearest[due], value[due] = boxes.nearest_outside(groups, due)
        offers = np.flatnonzero(groups[nearest] != groups)
        offers = offers[np.lexsort((offers, value[offers], groups[offers]))]
        first = np.flatnonzero(np.diff(groups[offers], prepend=-1))
        shortest = offers[first]
        taken = link_groups(groups, shortest, nearest[shortest])
        links[done : done + len(taken)] = np.column_stack([taken, nearest[taken]])
        lengths[done : done + len(taken)] = value[taken]
        done += len(taken)
        advance(len(taken))
    return links, lengths


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
