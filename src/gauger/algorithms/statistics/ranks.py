"""Ranks of sorted values among all sorted values: a compiled loop."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

Values = NDArray[np.float64]


def ranks_among(ordered: Values, part: Values) -> Values:
    """The rank of each value of `part` among the `ordered` ones, from 1, equal values halfway; both ascending."""
    ranks = np.empty(len(part))
    _fill_ranks(ordered, part, ranks)
    return ranks


@njit(nogil=True, cache=True)
def _fill_ranks(ordered, part, ranks):
    low = high = 0
    for index, value in enumerate(part):
        if index and value == part[index - 1]:
            ranks[index] = ranks[index - 1]
            continue
        low = _first(ordered, value, high, strictly=False)
        high = _first(ordered, value, low, strictly=True)
        ranks[index] = (low + high + 1) / 2.0


@njit(nogil=True, cache=True)
def _first(ordered, value, start, strictly):
    """The first place from `start` on with a value above (strictly), or at least, the given one; steps double."""
    step, low, high = 1, start, start
    while high < len(ordered) and (ordered[high] < value or (strictly and ordered[high] == value)):
        low = high + 1
        high += step
        step *= 2
    high = min(high, len(ordered))
    while low < high:
        middle = (low + high) // 2
        if ordered[middle] < value or (strictly and ordered[middle] == value):
            low = middle + 1
        else:
            high = middle
    return low
