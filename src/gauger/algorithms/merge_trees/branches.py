"""What follows from a tree's merges alone: which leaves a branch holds, where it stands, what a cut leaves whole."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.merge_trees.merges import Merges

Nodes = NDArray[np.int64]
Values = NDArray[np.float64]


def sizes_of(merges: Merges, weights: Values) -> Values:
    """The weight of every node (2 n - 1,), leaves first."""
    sizes = np.concatenate([weights, np.zeros(merges.leaves - 1)])
    for step, (left, right) in enumerate(zip(merges.left.tolist(), merges.right.tolist(), strict=True), merges.leaves):
        sizes[step] = sizes[left] + sizes[right]
    return sizes


def larger_left(merges: Merges, sizes: Values) -> Merges:
    """The same merges with the larger branch to the left; of equals the one that was made first."""
    left, right = merges.left, merges.right
    swap = (sizes[right] > sizes[left]) | ((sizes[right] == sizes[left]) & (right < left))
    return merges.like(np.where(swap, right, left), np.where(swap, left, right), merges.height)


def positions(merges: Merges) -> tuple[Nodes, Nodes]:
    """Where every node (2 n - 1,) stands among the leaves: its first place from the left, and how many it holds."""
    n = merges.leaves
    many = np.ones(2 * n - 1, dtype=np.int64)
    first = np.zeros(2 * n - 1, dtype=np.int64)
    spread_positions(merges.left, merges.right, first, many)
    return first, many


@njit(cache=True)
def spread_positions(left, right, first, many):
    """Count the leaves of every branch, from the bottom, then hand out places, from the top."""
    n = left.shape[0] + 1
    for step in range(n - 1):
        many[n + step] = many[left[step]] + many[right[step]]
    for step in range(n - 2, -1, -1):
        first[left[step]] = first[n + step]
        first[right[step]] = first[n + step] + many[left[step]]


def leaf_order(merges: Merges) -> Nodes:
    """The leaves from left to right."""
    first, _ = positions(merges)
    order = np.empty(merges.leaves, dtype=np.int64)
    order[first[: merges.leaves]] = np.arange(merges.leaves)
    return order


def branches_after(merges: Merges, whole: NDArray[np.bool_]) -> Nodes:
    """For each leaf (n,) the node that a cut leaves it in, when it keeps the merges that are `whole` (n - 1,).

    Where a merge is whole, every merge inside it must be too.
    """
    home = np.arange(2 * merges.leaves - 1)
    hand_down(merges.left, merges.right, whole, home)
    return home[: merges.leaves]


@njit(cache=True)
def hand_down(left, right, whole, home):
    """Give the parts of every whole merge its own home (2 n - 1,), from the top."""
    n = left.shape[0] + 1
    for step in range(n - 2, -1, -1):
        if whole[step]:
            home[left[step]] = home[right[step]] = home[n + step]


def highest_below(merges: Merges) -> Values:
    """The greatest height in each branch (n - 1,): its own, except where a merge lies below one of its parts."""
    highest = merges.height.copy()
    for step in range(merges.done):
        for part in (merges.left[step], merges.right[step]):
            if part >= merges.leaves:
                highest[step] = max(highest[step], highest[part - merges.leaves])
    return highest


def inverted(merges: Merges) -> NDArray[np.intp]:
    """The merges that lie below one of those they join."""
    return np.flatnonzero(merges.height < highest_below(merges) * (1.0 - 1e-12))
