"""The dip: how far a sample is from having a single peak (Hartigan & Hartigan 1985)."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

Values = NDArray[np.float64]


def scaled_dip(ordered: Values) -> float:
    """The dip of ordered values (n,), times the root of n; higher means more surely more than one peak.

    The dip is the largest distance between the sample's distribution function and the nearest one with a single peak,
    which is convex before the peak and concave after it. Times the root of n it is about 0.35 for evenly spread values,
    whatever their number, and rarely above 0.56. O(n log n).

    Hartigan & Hartigan (1985), Annals of Statistics 13(1), 70-84.
    """
    values, counts = np.unique(ordered, return_counts=True)
    if len(values) < 3:
        return 0.0
    return float(dip_of(values, np.cumsum(counts) / len(ordered)) * np.sqrt(len(ordered)))


def dip_of(values: Values, until: Values) -> float:
    """The dip of a distribution function with steps up to until (m,) at rising values (m,).

    With the peak at one of the values, the part before it must come near a convex function and the part after it near
    a concave one. The first gets harder as the peak moves right, the second easier: the best peak is where they meet.
    """
    before = np.concatenate([[0.0], until[:-1]])
    mirrored = np.negative(values[::-1]), 1.0 - until[::-1], 1.0 - before[::-1]
    hull = np.empty(len(values), np.int64)
    low, high, best = 0, len(values) - 1, 1.0
    while low <= high:
        peak = (low + high) // 2
        left = float(_misfit(values, before, until, peak, hull))
        right = float(_misfit(*mirrored, len(values) - 1 - peak, hull))
        best = min(best, max(left, right))
        if left < right:
            low = peak + 1
        else:
            high = peak - 1
    return best


@njit(nogil=True, cache=True)
def _misfit(values, before, until, peak, hull):
    """How far the steps before the peak are at least from any convex function: half the largest height above one.

    The highest convex function below the steps' feet (greatest convex minorant) is drawn corner by corner into hull.
    """
    corners = 0
    for i in range(peak + 1):
        while corners >= 2:
            a, b = hull[corners - 2], hull[corners - 1]
            if (before[b] - before[a]) * (values[i] - values[b]) < (before[i] - before[b]) * (values[b] - values[a]):
                break
            corners -= 1
        hull[corners] = i
        corners += 1
    worst = 0.0
    for corner in range(1, corners):
        a, b = hull[corner - 1], hull[corner]
        slope = (before[b] - before[a]) / (values[b] - values[a])
        for i in range(a, b):
            worst = max(worst, until[i] - before[a] - slope * (values[i] - values[a]))
    return worst / 2.0
