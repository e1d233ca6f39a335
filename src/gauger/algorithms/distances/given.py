"""Distances that somebody else measured: a square or condensed matrix, checked."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from gauger.algorithms.distances.metrics import Geometry
from gauger.algorithms.reports import refusal

Matrix = NDArray[np.float64]

_UNEVEN = 1e-8
"""Relative: what rounding may set apart in a matrix that was stored in single precision."""


def given_geometry(distances: ArrayLike, labels: Sequence[object]) -> Geometry:
    """Rows with given distances: (n, n), or condensed (n (n - 1) / 2,) by rows above the diagonal.

    `labels` (n,) name the rows in messages. Refuses for the wrong shape, or for a matrix that is not
    symmetric, not 0 on its diagonal, below 0 or not finite anywhere.
    """
    square = _square(_numbers(distances), len(labels))
    for fault, cells in (
        ("is no finite number", ~np.isfinite(square)),
        ("is below 0", square < 0.0),
        ("differs from the one the other way round", np.abs(square - square.T) > _UNEVEN * np.abs(square).max()),
    ):
        if cells.any():
            one, other = (int(index[0]) for index in np.nonzero(cells))
            raise refusal(
                f"the distance from {labels[one]} to {labels[other]} {fault} ({square[one, other]:g}): correct the "
                "matrix."
            )
    off = np.flatnonzero(np.diag(square) != 0.0)
    if off.size:
        raise refusal(
            f"the distance of {labels[off[0]]} from itself is {square[off[0], off[0]]:g}, not 0. Are these likenesses? "
            "Turn them into distances first, such as 1 - likeness."
        )
    even = np.ascontiguousarray((square + square.T) / 2.0)
    return Geometry("given", "given distance", len(labels), lambda rows, others: even[np.ix_(rows, others)])


def _numbers(distances: ArrayLike) -> Matrix:
    try:
        return np.asarray(distances, dtype=np.float64)
    except (TypeError, ValueError):
        raise refusal("the given distances are not all numbers.") from None


def _square(given: Matrix, n: int) -> Matrix:
    if given.shape == (n, n):
        return given
    if given.shape != (n * (n - 1) // 2,):
        raise refusal(
            f"the given distances have shape {given.shape}; {n:,} need a square matrix ({n}, {n}) or a condensed one "
            f"of {n * (n - 1) // 2:,}."
        )
    square = np.zeros((n, n))
    above = np.triu_indices(n, k=1)
    square[above] = given
    return np.asarray(square + square.T)
