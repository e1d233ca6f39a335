"""Merges as they are found, and the same in the order in which they happen."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Nodes = NDArray[np.int64]
Values = NDArray[np.float64]


@dataclass(eq=False)
class Merges:
    """Which nodes are joined, and at what height: `left`, `right` and `height` (leaves - 1,).

    Leaves are the nodes 0 … leaves - 1, and merge i makes the node leaves + i. `tied` says whether a pair was joined
    though one of the two had another as near.
    """

    leaves: int
    tied: bool = False
    left: Nodes = field(init=False)
    right: Nodes = field(init=False)
    height: Values = field(init=False)
    done: int = field(init=False, default=0)

    def __post_init__(self) -> None:
        self.left, self.right = (np.empty(self.leaves - 1, dtype=np.int64) for _ in range(2))
        self.height = np.empty(self.leaves - 1)

    def add(self, left: Nodes, right: Nodes, height: Values) -> Nodes:
        """More merges; returns the nodes they make."""
        indices = slice(self.done, self.done + len(left))
        self.left[indices], self.right[indices], self.height[indices] = left, right, height
        self.done += len(left)
        return np.arange(indices.start, indices.stop) + self.leaves

    def at_heights(self, height: Values) -> "Merges":
        """The same merges at other heights."""
        return self.like(self.left, self.right, height)

    def renumbered(self, index: NDArray[np.intp]) -> "Merges":
        """The same merges of leaves of which the i-th is now called place[i]."""
        number = np.concatenate([index, np.arange(self.leaves, 2 * self.leaves - 1)])
        return self.like(number[self.left], number[self.right], self.height)

    def like(self, left: Nodes, right: Nodes, height: Values) -> "Merges":
        """Merges of as many leaves, as tied as these."""
        other = Merges(self.leaves, self.tied)
        other.add(left, right, height)
        return other

    def in_order(self) -> "Merges":
        """The same merges by height, the earlier found first where equal; none below what it merges.

        Only for linkages without inversions: what rounding puts below a part is raised to it.
        """
        height = self.height.copy()
        for i in range(self.done):
            for part in (self.left[i], self.right[i]):
                if part >= self.leaves and height[part - self.leaves] > height[i]:
                    height[i] = height[part - self.leaves]
        order = np.argsort(height, kind="stable")
        number = np.arange(2 * self.leaves - 1)
        number[self.leaves + order] = self.leaves + np.arange(self.done)
        return self.like(number[self.left[order]], number[self.right[order]], height[order])


def after_duplicates(firsts: NDArray[np.intp], leaves: int, others: Merges | None) -> Merges:
    """Merges of equal leaves at height 0, then `others`: those of one leaf for all that are equal.

    Leaves that are equal stand side by side, the first of each at `firsts`; None for `others` when all are equal.
    """
    duplicates = np.setdiff1d(np.arange(leaves), firsts)
    made = leaves + np.arange(len(duplicates))
    node = np.arange(leaves)
    node[duplicates] = made
    merges = Merges(leaves, others.tied if others is not None else False)
    merges.add(node[duplicates - 1], duplicates, np.zeros(len(duplicates)))
    if others is not None:
        last = np.append(firsts[1:], leaves) - 1
        number = np.concatenate([node[last], leaves + len(duplicates) + np.arange(len(firsts) - 1)])
        merges.add(number[others.left], number[others.right], others.height)
    return merges
