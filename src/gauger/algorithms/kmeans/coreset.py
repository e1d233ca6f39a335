"""Coresets: few weighted rows that stand for all in k-means (Bachem, Lucic & Krause 2018)."""

from dataclasses import replace

import numpy as np

from gauger.algorithms.kmeans.lloyd import squares_to_own, total_squares
from gauger.algorithms.row_order import RowOrder


def coreset(rows: RowOrder, size: int, rng: np.random.Generator) -> RowOrder:
    """`size` draws that stand for all rows in k-means: half of them even, half by squared distance to the mean.

    Each is weighted by the inverse of its chance, so that a sum of squares keeps its expectation, and rows
    far out are hardly ever missed. Bachem, Lucic & Krause (2018), Proc. 24th ACM SIGKDD, 1119-1127.
    """
    middle, spread = total_squares(rows.columns, rows.weights)
    squares = squares_to_own(rows.columns, middle[None, :], np.zeros(rows.size, dtype=np.int32))
    chances = 0.5 * rows.weights / rows.weights.sum() + (0.5 * rows.weights * squares / spread if spread else 0.0)
    running = np.cumsum(chances)
    drawn = np.searchsorted(running, np.sort(rng.random(size)) * running[-1], side="right")
    drawn, times = np.unique(np.minimum(drawn, rows.size - 1), return_counts=True)
    part = rows.part(drawn)
    return replace(part, weights=part.weights * times / (chances[drawn] * size))
