"""The dip: how far a sample is from having a single peak (Hartigan & Hartigan 1985)."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

Values = NDArray[np.float64]


def scaled_dip(ordered: Values) -> float:
    """The dip of ordered values (n,), times the root of n; higher means more surely more than one peak.

    The dip is the largest distance between the sample's distribution function and the nearest one with a single peak,
    which is convex before the peak and concave after it. Times the root of n it is about 0.38 for evenly spread values,
    whatever their number, and rarely above 0.6. O(n) a step, and few steps.

    Hartigan & Hartigan (1985), Annals of Statistics 13(1), 70-84.
    """
    return float(dip_of_ordered(ordered)) * float(np.sqrt(len(ordered)))


@njit(nogil=True, cache=True)
def dip_of_ordered(ordered):
    """The dip of ordered values (n,), which may repeat; 0 with fewer than three distinct ones."""
    n = ordered.shape[0]
    values, before, until = np.empty(n), np.empty(n), np.empty(n)
    m = 0
    for i in range(n):
        if m == 0 or ordered[i] > values[m - 1]:
            values[m], before[m] = ordered[i], i / n
            m += 1
        until[m - 1] = (i + 1) / n
    return dip_of(values[:m], before[:m], until[:m]) if m > 2 else 0.0


@njit(nogil=True, cache=True)
def dip_of(values, before, until):
    """The dip of a distribution function with steps from before (m,) up to until (m,) at rising values (m,).

    Between `low` and `high`, where the peak must be, the greatest convex function below the steps and the least concave
    one above them are farthest apart at one place; the peak is near it, so the interval shrinks to the corners around
    it. What lies outside must be convex and concave: `outside` is how far it is from that. Once the two functions are
    no farther apart than that, a straight line does for what is left.
    """
    m = values.shape[0]
    below, above = np.empty(m), np.empty(m)
    feet, tops = np.empty(m, np.int64), np.empty(m, np.int64)
    low, high, outside = 0, m - 1, 0.0
    while low < high:
        n_feet = _hull(values, before, 1.0, low, high, feet)
        n_tops = _hull(values, until, -1.0, low, high, tops)
        _along(values, before, feet, n_feet, below)
        _along(values, until, tops, n_tops, above)
        widest = low
        for i in range(low + 1, high + 1):
            if above[i] - below[i] > above[widest] - below[widest]:
                widest = i
        apart = above[widest] - below[widest]
        if apart <= outside:
            break
        foot, top = n_feet - 1, 0
        while feet[foot] > widest:
            foot -= 1
        while tops[top] < widest:
            top += 1
        left, right = feet[foot], tops[top]
        for i in range(low, left):
            outside = max(outside, until[i] - below[i])
        for i in range(right + 1, high + 1):
            outside = max(outside, above[i] - before[i])
        if left == low and right == high:
            outside = apart
            break
        low, high = left, right
    return outside / 2.0


@njit(nogil=True, cache=True)
def _hull(values, heights, sign, low, high, hull):
    """Corners of the greatest convex function below heights (sign 1), or the least concave one above (sign -1).

    From `low` to `high`; writes their places into hull and returns how many they are.
    """
    corners = 0
    for i in range(low, high + 1):
        while corners >= 2:
            a, b = hull[corners - 2], hull[corners - 1]
            rise, onward = heights[b] - heights[a], heights[i] - heights[b]
            if sign * rise * (values[i] - values[b]) < sign * onward * (values[b] - values[a]):
                break
            corners -= 1
        hull[corners] = i
        corners += 1
    return corners


@njit(nogil=True, cache=True)
def _along(values, heights, hull, corners, line):
    """The heights along straight lines from corner to corner, at every place between the first and the last."""
    line[hull[0]] = heights[hull[0]]
    for corner in range(1, corners):
        a, b = hull[corner - 1], hull[corner]
        slope = (heights[b] - heights[a]) / (values[b] - values[a])
        for i in range(a + 1, b + 1):
            line[i] = heights[a] + slope * (values[i] - values[a])
