"""Single linkage through the minimum spanning tree, in O(n) memory: its links by length are the merges.

Gower & Ross (1969), Applied Statistics 18(1), 54-64. Where two links are as long, others might have been taken, but
the segments at any height are the same.
"""

from collections.abc import Callable

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.clustering.box_tree import BoxTree
from gauger.clustering.merge_trees.joins import Joins

Values = NDArray[np.float64]
Links = NDArray[np.int64]
FromOne = Callable[[int], Values]


def join_by_links(n: int, from_one: FromOne, advance: Callable[[int], None]) -> Joins:
    """Every merge of n leaves whose distances from one of them are `from_one(leaf)` (n,), by height.

    The tree grows from leaf 0 by the shortest link (Prim 1957, Bell System Technical Journal 36(6), 1389-1401). O(n²)
    distances, none held.
    """
    closest, source = np.full(n, np.inf), np.zeros(n, dtype=np.int64)
    links, lengths = np.empty((n - 1, 2), dtype=np.int64), np.empty(n - 1)
    last = 0
    for step in range(n - 1):
        other = int(reach_out(from_one(last), closest, source, last))
        links[step], lengths[step] = (source[other], other), closest[other]
        last = other
        advance(1)
    return _merges(links, lengths)


def join_points_by_links(columns: Values, advance: Callable[[int], None]) -> Joins:
    """The same for points (d, n) under the Euclidean distance, without most of the distances.

    In each round every group takes its shortest link to another (Borůvka 1926); a box tree finds it, and a point looks
    again only when what was nearest has joined its own group and the group knows of nothing nearer.
    """
    n = columns.shape[1]
    boxes = BoxTree(columns, np.ones(n))
    groups = np.arange(n)
    nearest, value = np.arange(n), np.zeros(n)
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
    return _merges(boxes.order[links], np.sqrt(lengths))


def _merges(links: Links, lengths: Values) -> Joins:
    """The merges that links between leaves make, the shortest first."""
    order = np.argsort(lengths, kind="stable")
    left, right = np.empty(len(order), dtype=np.int64), np.empty(len(order), dtype=np.int64)
    link_branches(links[order], left, right)
    joins = Joins(len(links) + 1)
    joins.add(left, right, lengths[order])
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


@njit(nogil=True, cache=True, inline="always")
def _root(parent, node):
    while parent[node] != node:
        parent[node] = parent[parent[node]]
        node = parent[node]
    return node


@njit(nogil=True, cache=True)
def link_groups(groups, ends, others):
    """Join the groups of ends with those of others, in place, each group being named by its lowest slot.

    Returns the ends whose link was taken: one that would close a ring is not.
    """
    parent = np.arange(groups.shape[0])
    taken = np.empty_like(ends)
    many = 0
    for i in range(ends.shape[0]):
        one, other = _root(parent, groups[ends[i]]), _root(parent, groups[others[i]])
        if one != other:
            parent[max(one, other)] = min(one, other)
            taken[many] = ends[i]
            many += 1
    for slot in range(groups.shape[0]):
        groups[slot] = _root(parent, groups[slot])
    return taken[:many]


@njit(nogil=True, cache=True)
def link_branches(ends, left, right):
    """The branches that links (n - 1, 2) between leaves join, in order; the i-th makes the node n + i."""
    n = ends.shape[0] + 1
    parent = np.arange(2 * n - 1)
    for step in range(n - 1):
        left[step] = _root(parent, ends[step, 0])
        right[step] = _root(parent, ends[step, 1])
        parent[left[step]] = parent[right[step]] = n + step
