"""Optimal leaf order: neighbours as alike as the tree allows (Bar-Joseph et al. 2001)."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.merge_trees.branches import leaf_order, positions
from gauger.algorithms.merge_trees.merges import Merges

MOST_LEAVES = 2_000
"""Leaves that can be put into the best order: O(n²) memory and more time than that."""

Nodes = NDArray[np.int64]
Values = NDArray[np.float64]


def in_best_order(merges: Merges, distances: Values) -> Merges:
    """The same merges, turned so that the distances (n, n) between neighbouring leaves add up to the least.

    O(n³) time at most, O(n²) memory. Bar-Joseph, Gifford & Jaakkola (2001), Bioinformatics 17 (suppl. 1), S22-S29.
    """
    n = merges.leaves
    first, many = positions(merges)
    order = leaf_order(merges)
    apart = np.ascontiguousarray(distances[np.ix_(order, order)])
    cost = np.zeros((n, n))
    middle = np.concatenate([np.full(n, -1), first[merges.right]])
    for left, right in zip(merges.left.tolist(), merges.right.tolist(), strict=True):
        span_branch(cost, apart, first[left], middle[left], first[right], middle[right], first[right] + many[right])
    turned = merges.like(merges.left, merges.right, merges.height)
    half = int(many[merges.left[-1]])
    start, stop = np.unravel_index(int(cost[:half, half:].argmin()), (half, n - half))
    waiting = [(2 * n - 2, int(start), half + int(stop))]
    while waiting:
        node, u, w = waiting.pop()
        if node < n:
            continue
        one, other = int(merges.left[node - n]), int(merges.right[node - n])
        if u >= middle[node]:
            one, other = other, one
        turned.left[node - n], turned.right[node - n] = one, other
        near, far = (_inner_ends(part, end, first, many, middle) for part, end in ((one, u), (other, w)))
        total = cost[u, near][:, None] + apart[near, far] + cost[far, w][None, :]
        index, beside = np.unravel_index(int(total.argmin()), total.shape)
        waiting += [(one, u, int(near.start + index)), (other, int(far.start + beside), w)]
    return turned


def _inner_ends(part: int, end: int, first: Nodes, many: Nodes, middle: Nodes) -> slice:
    """Where the other end of a branch can stand when one is given: in the other half, or at a leaf itself."""
    if middle[part] < 0:
        return slice(end, end + 1)
    stop = int(first[part] + many[part])
    return slice(int(middle[part]), stop) if end < middle[part] else slice(int(first[part]), int(middle[part]))


@njit(nogil=True, cache=True, inline="always")
def _range(end, start, cut, stop):
    """Where a part's other end can stand: start … stop is the part, cut where it is divided, -1 for a leaf."""
    if cut < 0:
        return end, end + 1
    return (cut, stop) if end < cut else (start, cut)


@njit(nogil=True, cache=True)
def span_branch(cost, apart, start, left_cut, middle, right_cut, stop):
    """The least cost of each two ends of a branch, one in each of its parts, from those of the parts, in cost (n, n).

    The parts stand at start … middle … stop, and are themselves divided at their cuts, -1 for a leaf; apart (n, n) are
    the distances of leaves in that order.
    """
    inner = np.empty((middle - start, stop - middle))
    for u in range(start, middle):
        low, high = _range(u, start, left_cut, middle)
        for k in range(middle, stop):
            least = np.inf
            for m in range(low, high):
                least = min(least, cost[u, m] + apart[m, k])
            inner[u - start, k - middle] = least
    for w in range(middle, stop):
        low, high = _range(w, middle, right_cut, stop)
        for u in range(start, middle):
            least = np.inf
            for k in range(low, high):
                least = min(least, inner[u - start, k - middle] + cost[k, w])
            cost[u, w] = least
            cost[w, u] = least
