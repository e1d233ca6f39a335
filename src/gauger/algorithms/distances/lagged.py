"""Likeness of series that follow each other with a delay."""

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]


def lagged_between(rows: Matrix, others: Matrix, lag: int) -> Matrix:
    """1 - the highest Pearson's r of each of rows (a, t) with each of others (b, t) shifted by up to `lag` periods.

    Between 0 (the same course, perhaps a few periods later) and 2, over the periods that both have after the shift, of
    which there must be at least three; a shift that leaves one of the two constant is passed over.
    """
    periods = rows.shape[1]
    best = np.full((len(rows), len(others)), -1.0)
    for shift in range(-lag, lag + 1):
        kept = periods - abs(shift)
        if kept >= min(3, periods):
            one = _directions(rows[:, max(shift, 0) : max(shift, 0) + kept])
            other = _directions(others[:, max(-shift, 0) : max(-shift, 0) + kept])
            best = np.fmax(best, one @ other.T)
    return np.asarray(1.0 - np.minimum(best, 1.0))


def _directions(part: Matrix) -> Matrix:
    """Rows centred and brought to length 1; NaN for those that are constant."""
    centred = part - part.mean(axis=1, keepdims=True)
    lengths = np.sqrt((centred**2).sum(axis=1, keepdims=True))
    flat = lengths <= 1e-12 * np.abs(part).max(axis=1, keepdims=True) * np.sqrt(part.shape[1])
    directions: Matrix = np.divide(centred, lengths, out=np.full(part.shape, np.nan), where=~flat)
    return directions
