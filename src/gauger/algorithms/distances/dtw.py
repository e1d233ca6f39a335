"""Elastic distance between series: the best way to stretch one onto the other (dynamic time warping)."""

import numpy as np
from numba import njit


@njit(nogil=True, cache=True)
def dtw_between(rows, others, band):
    """The dynamic time warping of each of rows (a, t) from each of others (b, t): (a, b), 0 for equal series.

    The square root of the least sum of squared differences along a path that pairs every period of one series with
    periods at most `band` away in the other, forwards only; with band 0 that is the Euclidean distance. O(a b t band).

    Sakoe & Chiba (1978), IEEE Transactions on Acoustics, Speech, and Signal Processing 26(1), 43-49.
    """
    periods = rows.shape[1]
    found = np.empty((rows.shape[0], others.shape[0]))
    before, now = np.empty(periods + 1), np.empty(periods + 1)
    for a in range(rows.shape[0]):
        for b in range(others.shape[0]):
            before[:] = np.inf
            before[0] = 0.0
            for i in range(periods):
                now[:] = np.inf
                for j in range(max(0, i - band), min(periods, i + band + 1)):
                    gap = rows[a, i] - others[b, j]
                    now[j + 1] = gap * gap + min(before[j], before[j + 1], now[j])
                before, now = now, before
            found[a, b] = np.sqrt(before[periods])
    return found
