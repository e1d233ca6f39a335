"""Which points hang together, each within a limit of the next: the compiled loops.

A union-find over the slots of a box tree. Boxes that fit into the limit hold together as they are; of the others, only
pairs of boxes that are near and not yet together are looked into, and one link is enough between two that each hold
together by themselves. Pairs of points are never held.
"""

import numpy as np
from numba import njit

from gauger.algorithms.neighbours.box_search import SLACK, point_raw, slots_of
from gauger.algorithms.neighbours.union_find import root_of

_STACK = 1_024
"""Pairs of nodes that may wait: several times the depth of any tree."""


@njit(nogil=True, cache=True)
def link_within(points, levels, low, high, city, limit, parent):
    """Join, in parent (m,), all points (d, m) that are linked by steps no longer than the limit."""
    m = points.shape[1]
    whole = np.zeros(2 << levels, np.bool_)
    stack = np.empty((_STACK, 4), np.int64)
    stack[0, 0], stack[0, 1], stack[0, 2], stack[0, 3] = 1, 0, 1, 0
    height = 1
    while height:
        height -= 1
        one, level, other, beside = stack[height]
        if one == other:
            if _hold_together(points, levels, low, high, city, limit, parent, whole, one, level):
                continue
            pairs = ((2 * one, 2 * one + 1), (2 * one + 1, 2 * one + 1), (2 * one, 2 * one))
            for a, b in pairs:
                stack[height, 0], stack[height, 1], stack[height, 2], stack[height, 3] = a, level + 1, b, level + 1
                height += 1
            continue
        nearest, farthest = _between_boxes(low, high, one, other, city)
        if nearest * (1.0 - SLACK) > limit or _same(whole, parent, one, level, other, beside, levels, m):
            continue
        if level == levels and beside == levels:
            near = farthest * (1.0 + SLACK) <= limit
            _link_leaves(points, city, limit, parent, whole, one, other, levels, near)
            continue
        split, kept, lower, stays = (one, other, level, beside) if level <= beside else (other, one, beside, level)
        for child in (2 * split, 2 * split + 1):
            stack[height, 0], stack[height, 1], stack[height, 2], stack[height, 3] = child, lower + 1, kept, stays
            height += 1


@njit(nogil=True, cache=True, inline="always")
def _between_boxes(low, high, one, other, city):
    """The least and the most that two points of two boxes can be apart."""
    nearest, farthest = 0.0, 0.0
    for f in range(low.shape[1]):
        gap = max(low[one, f] - high[other, f], low[other, f] - high[one, f], 0.0)
        width = max(high[one, f] - low[other, f], high[other, f] - low[one, f])
        nearest += gap if city else gap * gap
        farthest += width if city else width * width
    return nearest, farthest


@njit(nogil=True, cache=True)
def _hold_together(points, levels, low, high, city, limit, parent, whole, node, level):
    """Join the points of a node whose box fits into the limit, or of a leaf one by one; False if neither."""
    first, last = slots_of(node, level, points.shape[1])
    if _between_boxes(low, high, node, node, city)[1] * (1.0 + SLACK) <= limit:
        for slot in range(first + 1, last):
            _join(parent, first, slot)
        whole[node] = True
        return True
    if level < levels:
        return False
    for slot in range(first, last):
        point = points[:, slot].copy()
        for after in range(slot + 1, last):
            if point_raw(points, after, point, city) <= limit:
                _join(parent, slot, after)
    whole[node] = _all_one(parent, first, last)
    return True


@njit(nogil=True, cache=True)
def _link_leaves(points, city, limit, parent, whole, one, other, levels, near):
    """Join the points of two leaves that are within the limit; `near` says that all are."""
    first, last = slots_of(one, levels, points.shape[1])
    begin, end = slots_of(other, levels, points.shape[1])
    if near:
        for slot in range(begin, end):
            _join(parent, first, slot)
        for slot in range(first, last):
            _join(parent, begin, slot)
        whole[one] = whole[other] = True
        return
    one_is_enough = whole[one] and whole[other]
    for slot in range(first, last):
        point = points[:, slot].copy()
        for beside in range(begin, end):
            if point_raw(points, beside, point, city) <= limit:
                _join(parent, slot, beside)
                if one_is_enough:
                    return
    whole[one] = whole[one] or _all_one(parent, first, last)
    whole[other] = whole[other] or _all_one(parent, begin, end)


@njit(nogil=True, cache=True)
def _same(whole, parent, one, level, other, beside, levels, m):
    """Whether all points of two nodes are known to hang together already."""
    if not (_is_whole(whole, parent, one, level, levels, m) and _is_whole(whole, parent, other, beside, levels, m)):
        return False
    return root_of(parent, slots_of(one, level, m)[0]) == root_of(parent, slots_of(other, beside, m)[0])


@njit(nogil=True, cache=True)
def _is_whole(whole, parent, node, level, levels, m):
    """Whether a node is known to hang together: itself, or both of its halves and these with each other."""
    if not whole[node] and level < levels and whole[2 * node] and whole[2 * node + 1]:
        one, other = slots_of(2 * node, level + 1, m)[0], slots_of(2 * node + 1, level + 1, m)[0]
        whole[node] = root_of(parent, one) == root_of(parent, other)
    return whole[node]


@njit(nogil=True, cache=True, inline="always")
def _all_one(parent, first, last):
    root = root_of(parent, first)
    for slot in range(first + 1, last):
        if root_of(parent, slot) != root:
            root = -1
    return root >= 0


@njit(nogil=True, cache=True, inline="always")
def _join(parent, one, other):
    root, beside = root_of(parent, one), root_of(parent, other)
    if root != beside:
        parent[max(root, beside)] = min(root, beside)


@njit(nogil=True, cache=True)
def link_rows(near, first, parent):
    """Join, in parent (m,), each row of near (b, m), the first of them being point `first`, with those it marks."""
    for row in range(near.shape[0]):
        for other in range(near.shape[1]):
            if near[row, other]:
                _join(parent, first + row, other)


@njit(nogil=True, cache=True)
def groups_of(parent):
    """The groups of a union-find, (m,) numbered from 0 by the lowest slot of each."""
    group = np.empty_like(parent)
    many = 0
    for slot in range(parent.shape[0]):
        root = root_of(parent, slot)
        if root == slot:
            group[slot] = many
            many += 1
        else:
            group[slot] = group[root]
    return group
