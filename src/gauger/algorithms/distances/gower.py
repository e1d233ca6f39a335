"""Gower's distance: measures, flags and categories together, gaps allowed."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.distances.metrics import Geometry, Rows
from gauger.algorithms.reports import refusal

Matrix = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class MixedRows:
    """Rows of mixed kind: `measures` (n, q) with NaN for gaps, `levels` (n, c) as codes from 0 with -1 for gaps.

    Each variable counts by its weight: `measure_weights` (q,) and `level_weights` (c,).
    """

    measures: Matrix
    levels: NDArray[np.int64]
    measure_weights: Matrix
    level_weights: Matrix


def gower_geometry(rows: MixedRows, labels: Sequence[object]) -> Geometry:
    """Rows under Gower's distance, 1 - his coefficient of similarity: 0 for rows that agree, 1 at most.

    A measure or flag differs by its share of the range, a category by 0 or 1; the weighted mean over the variables
    that both rows have. Refuses for two rows that have no variable in common.

    Gower (1971), Biometrics 27(4), 857-871.
    """
    low, high = np.nanmin(rows.measures, axis=0), np.nanmax(rows.measures, axis=0)
    width = np.where(high > low, high - low, 1.0)
    shares = (rows.measures - low) / width

    def between(chosen: Rows, others: Rows) -> Matrix:
        differing, counted = (np.zeros((len(chosen), len(others))) for _ in range(2))
        for column, weight in zip(shares.T, rows.measure_weights, strict=True):
            gaps = np.abs(column[chosen, None] - column[others])
            counted += weight * ~np.isnan(gaps)
            differing += weight * np.nan_to_num(gaps)
        for column, weight in zip(rows.levels.T, rows.level_weights, strict=True):
            one, other = column[chosen, None], column[others]
            both = (one >= 0) & (other >= 0)
            counted += weight * both
            differing += weight * (both & (one != other))
        if (counted == 0.0).any():
            index, beside = (int(found[0]) for found in np.nonzero(counted == 0.0))
            raise refusal(
                f"{labels[chosen[index]]} and {labels[others[beside]]} have no feature with a value for both: Gower's "
                "distance cannot compare them. Leave one out, or add a feature that both have."
            )
        return np.asarray(differing / counted)

    return Geometry("gower", "Gower's distance", len(rows.measures), between, _points(shares, rows))


def _points(shares: Matrix, rows: MixedRows) -> Matrix:
    """Shares of the range, gaps at the mean, and an indicator a level, of which two make a distance of 1."""
    filled = np.where(np.isnan(shares), np.nanmean(shares, axis=0), shares) * rows.measure_weights
    indicators = [
        (column[:, None] == np.arange(column.max() + 1)) * (weight * np.sqrt(0.5))
        for column, weight in zip(rows.levels.T, rows.level_weights, strict=True)
    ]
    return np.hstack([filled, *indicators])
