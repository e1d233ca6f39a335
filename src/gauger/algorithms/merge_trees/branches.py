"""What follows from a tree's merges alone: which leaves a branch holds, where it stands, what a cut leaves whole."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.merge_trees.merges import Joins

Nodes = NDArray[np.int64]
Values = NDArray[np.float64]


def sizes_of(joins: Joins, weights: Values) -> Values:
    """The weight of every node (2 n - 1,), leaves first."""
    sizes = np.concatenate([weights, np.zeros(joins.leaves - 1)])
    for step, (left, right) in enumerate(zip(joins.left.tolist(), joins.right.tolist(), strict=True), joins.leaves):
        sizes[step] = sizes[left] + sizes[right]
    return sizes


def larger_left(joins: Joins, sizes: Values) -> Joins:
    """The same merges with the larger branch to the left; of equals the one that was made first."""
    left, right = joins.left, joins.right
    swap = (sizes[right] > sizes[left]) | ((sizes[right] == sizes[left]) & (right < left))
    return joins.like(np.where(swap, right, left), np.where(swap, left, right), joins.height)


def positions(joins: Joins) -> tuple[Nodes, Nodes]:
    """Where every node (2 n - 1,) stands among the leaves: its first place from the left, and how many it holds."""
    n = joins.leaves
    many = np.ones(2 * n - 1, dtype=np.int64)
    first = np.zeros(2 * n - 1, dtype=np.int64)
    spread_positions(joins.left, joins.right, first, many)
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


def leaf_order(joins: Joins) -> Nodes:
    """The leaves from left to right."""
    first, _ = positions(joins)
    order = np.empty(joins.leaves, dtype=np.int64)
    order[first[: joins.leaves]] = np.arange(joins.leaves)
    return order


def branches_after(joins: Joins, whole: NDArray[np.bool_]) -> Nodes:
    """For each leaf (n,) the node that a cut leaves it in, when it keeps the merges that are `whole` (n - 1,).

    A merge is kept only if all below it are: `whole` must be so.
    """
    home = np.arange(2 * joins.leaves - 1)
    hand_down(joins.left, joins.right, whole, home)
    return home[: joins.leaves]


@njit(cache=True)
def hand_down(left, right, whole, home):
    """Give the parts of every whole merge its own home (2 n - 1,), from the top."""
    n = left.shape[0] + 1
    for step in range(n - 2, -1, -1):
        if whole[step]:
            home[left[step]] = home[right[step]] = home[n + step]


def highest_below(joins: Joins) -> Values:
    """The greatest height in each branch (n - 1,): its own, except where a merge lies below one of its parts."""
    highest = joins.height.copy()
    for step in range(joins.done):
        for part in (joins.left[step], joins.right[step]):
            if part >= joins.leaves:
                highest[step] = max(highest[step], highest[part - joins.leaves])
    return highest


def inverted(joins: Joins) -> NDArray[np.intp]:
    """The merges that lie below one of those they join."""
    return np.flatnonzero(joins.height < highest_below(joins) * (1.0 - 1e-12))
