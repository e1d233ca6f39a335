"""Cophenetic distances: the height at which two leaves are first together (Sokal & Rohlf 1962)."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.merge_trees.branches import leaf_order, positions
from gauger.algorithms.merge_trees.merges import Merges

Values = NDArray[np.float64]
Rows = NDArray[np.intp]


def cophenetic_distances(merges: Merges, rows: Rows) -> Values:
    """The heights at which pairs of some leaves meet, condensed by rows above the diagonal in the order of `rows`."""
    n = merges.leaves
    first, many = positions(merges)
    rank = np.full(n, -1, dtype=np.int64)
    rank[rows] = np.arange(len(rows))
    along = rank[leaf_order(merges)]
    before = np.concatenate([[0], np.cumsum(along >= 0)])
    chosen = along[along >= 0]
    met = np.zeros(len(rows) * (len(rows) - 1) // 2)
    meet(merges.left, merges.right, merges.height, before[first], before[first + many], chosen, met)
    return met


@njit(nogil=True, cache=True)
def meet(left, right, height, first, stop, chosen, met):
    """Write each merge's height for all pairs of leaves, one from each of its branches."""
    m = chosen.shape[0]
    for step in range(left.shape[0]):
        one, other = left[step], right[step]
        for i in range(first[one], stop[one]):
            for j in range(first[other], stop[other]):
                low, high = min(chosen[i], chosen[j]), max(chosen[i], chosen[j])
                met[low * (2 * m - low - 3) // 2 + high - 1] = height[step]
