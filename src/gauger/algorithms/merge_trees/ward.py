"""Ward's linkage (1963) on points: branches as their means and weights, in O(n d) memory.

What a merge adds to the within-cluster sum of squares needs only the means and sizes of the two branches, so that no
matrix of distances is held; a box tree finds the nearest branch.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.neighbours import BoxTree

Values = NDArray[np.float64]
Slots = NDArray[np.int64]


class WardSpace:
    """Branches as points (d, m) with weights; the distance of two is twice what joining them adds to the squares."""

    def __init__(self, columns: Values, weights: Values) -> None:
        self._boxes = BoxTree(columns, weights.astype(np.float64))
        self.order = self._boxes.order

    def nearest(self, slots: Slots) -> tuple[Slots, Values, Values]:
        """For each branch the nearest other one, twice what that merge would add, and what the runner-up's would."""
        return self._boxes.nearest(slots, weighted=True)

    def join(self, firsts: Slots, seconds: Slots) -> None:
        """Put the mean of each two in the first's slot."""
        merge_points(self._boxes.points, self._boxes.weights, firsts, seconds)
        self._boxes.refit()

    def compact(self, kept: Slots) -> Slots:
        """Box the branches that are left anew."""
        self._boxes = BoxTree(np.ascontiguousarray(self._boxes.points[:, kept]), self._boxes.weights[kept])
        return self._boxes.order


@njit(nogil=True, cache=True)
def merge_points(points, weights, firsts, seconds):
    """Put each second point into the first: its weighted mean there, nobody in the second's slot."""
    for i in range(firsts.shape[0]):
        a, b = firsts[i], seconds[i]
        share = weights[b] / (weights[a] + weights[b])
        for f in range(points.shape[0]):
            points[f, a] += (points[f, b] - points[f, a]) * share
            points[f, b] = np.inf
        weights[a] += weights[b]
        weights[b] = 1.0
