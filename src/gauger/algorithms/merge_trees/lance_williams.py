"""Complete, average and weighted linkage on a condensed matrix, by the recurrence of Lance and Williams (1967)."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.neighbours import link_rank
from gauger.algorithms.parallel import map_blocks

_BLOCK = 256
"""Rows a call; decides nothing but speed."""

_RULES = {"complete": 0, "average": 1, "weighted": 2}
"""The recurrences by the number that the compiled loop knows them by."""

MATRIX_LINKAGES = tuple(_RULES)

Values = NDArray[np.float64]
Condensed = NDArray[np.float64] | NDArray[np.float32]
Slots = NDArray[np.int64]


class MatrixSpace:
    """Branches by their distances from each other, condensed by rows above the diagonal; the matrix is used up."""

    def __init__(self, distances: Condensed, weights: Values, linkage: str) -> None:
        self.order = np.arange(len(weights))
        self._distances, self._weights = distances, weights.astype(np.float64)
        self._rule = _RULES[linkage]

    def nearest(self, slots: Slots) -> tuple[Slots, Values, Values]:
        """For each branch the nearest other one, how far that is, and how far the runner-up."""
        found, value, rival = np.empty(len(slots), dtype=np.int64), np.empty(len(slots)), np.empty(len(slots))

        def look(rows: slice) -> None:
            nearest_in_rows(self._distances, self._weights, slots, rows.start, rows.stop, found, value, rival)

        for _ in map_blocks(look, len(slots), _BLOCK):
            pass
        return found, value, rival

    def join(self, firsts: Slots, seconds: Slots) -> None:
        """Put the distances of each two, joined, in the first's slot."""
        merge_rows(self._distances, self._weights, firsts, seconds, self._rule)

    def compact(self, kept: Slots) -> Slots:
        """Drop the rows of branches that are no more, in place."""
        drop_rows(self._distances, kept, len(self._weights))
        self._weights = self._weights[kept]
        return np.arange(len(kept))


@njit(nogil=True, cache=True, inline="always")
def _place(one, other, n):
    """Where the distance of two slots stands in a condensed matrix of n."""
    low, high = min(one, other), max(one, other)
    return low * (2 * n - low - 3) // 2 + high - 1


@njit(nogil=True, cache=True)
def nearest_in_rows(distances, weights, slots, start, stop, nearest, value, rival):
    """The nearest other slot of each of slots[start:stop], its distance and the runner-up's; ties by `link_rank`.

    weights (n,) are 0 where nobody is. Writes nearest, value and rival at the same places as slots.
    """
    n = weights.shape[0]
    for index in range(start, stop):
        slot = slots[index]
        best, second, found = np.inf, np.inf, -1
        for other in range(n):
            if other == slot or weights[other] == 0.0:
                continue
            here = distances[_place(slot, other, n)]
            if here <= second:
                if here < best or (here == best and found >= 0 and link_rank(slot, other) < link_rank(slot, found)):
                    second, best, found = best, here, other
                else:
                    second = here
        nearest[index], value[index], rival[index] = found, best, second


@njit(nogil=True, cache=True)
def merge_rows(distances, weights, firsts, seconds, rule):
    """Put the second rows into the first: the larger distance, the mean by size, or the mean of both."""
    n = weights.shape[0]
    for i in range(firsts.shape[0]):
        a, b = firsts[i], seconds[i]
        share = weights[b] / (weights[a] + weights[b]) if rule == 1 else 0.5
        for other in range(n):
            if other in (a, b) or weights[other] == 0.0:
                continue
            at = _place(a, other, n)
            one, two = distances[at], distances[_place(b, other, n)]
            distances[at] = max(one, two) if rule == 0 else one + (two - one) * share
        weights[a] += weights[b]
        weights[b] = 0.0


@njit(nogil=True, cache=True)
def drop_rows(distances, kept, n):
    """Move the distances between the kept slots, given in order, to the front, as a condensed matrix of their own."""
    at = 0
    for i in range(kept.shape[0]):
        for j in range(i + 1, kept.shape[0]):
            distances[at] = distances[_place(kept[i], kept[j], n)]
            at += 1
