"""Groups that grow together: the compiled loops of a union-find."""

import numpy as np
from numba import njit


@njit(nogil=True, cache=True, inline="always")
def root_of(parent, node):
    """Who stands for the group of a node; the way there is halved."""
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
        one, other = root_of(parent, groups[ends[i]]), root_of(parent, groups[others[i]])
        if one != other:
            parent[max(one, other)] = min(one, other)
            taken[many] = ends[i]
            many += 1
    for slot in range(groups.shape[0]):
        groups[slot] = root_of(parent, groups[slot])
    return taken[:many]


@njit(nogil=True, cache=True)
def link_branches(ends, left, right):
    """The branches that links (n - 1, 2) between leaves join, in order; the i-th makes the node n + i."""
    n = ends.shape[0] + 1
    parent = np.arange(2 * n - 1)
    for step in range(n - 1):
        left[step] = root_of(parent, ends[step, 0])
        right[step] = root_of(parent, ends[step, 1])
        parent[left[step]] = parent[right[step]] = n + step
