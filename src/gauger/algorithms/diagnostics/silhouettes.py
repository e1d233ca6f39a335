"""Silhouettes: how much closer each row is to the own segment than to the next (Rousseeuw 1987)."""

from functools import cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.compiling import compile_loops
from gauger.algorithms.distances import TILE, tile_distances
from gauger.algorithms.parallel import map_blocks
from gauger.algorithms.reports import task

Rows = NDArray[np.intp]
Values = NDArray[np.float64]


@njit(nogil=True, cache=True, fastmath={"contract", "reassoc"})
def distance_sums_block(values, columns, bounds, sums):
    """Add up each row's Euclidean distances to the points of each segment.

    values (rows, d); columns (d, n) are the points to measure against, sorted by segment, segment j standing at
    bounds[j] … bounds[j + 1]; writes sums (rows, k). `reassoc` lets the sum over a segment run in vector registers.
    """
    k = bounds.shape[0] - 1
    distance = np.empty(TILE)
    for r in range(values.shape[0]):
        for j in range(k):
            total = 0.0
            for first in range(bounds[j], bounds[j + 1], TILE):
                size = min(TILE, bounds[j + 1] - first)
                tile_distances(columns, first, size, values[r], distance)
                for i in range(size):
                    total += np.sqrt(distance[i])
            sums[r, j] = total


_BLOCK_ROWS = 256
"""Rows a call: often enough to show progress; decides nothing else."""


def silhouette_values(columns: Values, codes: NDArray[np.integer]) -> Values:
    """Silhouettes (n,) of points, as columns (d, n), among each other; codes (n,) are in at least one segment."""
    present, own = np.unique(codes, return_inverse=True)
    if len(present) < 2:
        return np.zeros(len(codes))
    return silhouettes_from_sums(distance_sums(columns, own), own, np.bincount(own))


def distance_sums(columns: Values, own: NDArray[np.integer]) -> Values:
    """Summed distances (n, k) of points, as columns (d, n), to those of each segment; `own` (n,) is theirs, from 0."""
    n, sizes = len(own), np.bincount(own)
    order = np.argsort(own, kind="stable")
    grouped = np.ascontiguousarray(columns[:, order])
    values = np.ascontiguousarray(columns.T)
    bounds = np.concatenate(([0], np.cumsum(sizes)))
    sums = np.empty((n, len(sizes)))
    compile_silhouettes()

    def measure(rows: slice) -> None:
        distance_sums_block(values[rows], grouped, bounds, sums[rows])

    with task("silhouette", -(-n // _BLOCK_ROWS)) as advance:
        for _ in map_blocks(measure, n, _BLOCK_ROWS):
            advance(1)
    return sums


@cache
def compile_silhouettes() -> None:
    """Compile the loop that adds up distances to segments."""
    rows = np.array([[0.0, 1.0, 5.0]])
    compile_loops(lambda: distance_sums_block(rows.T.copy(), rows, np.array([0, 2, 3]), np.zeros((3, 2))))


def silhouettes_from_sums(sums: Values, own: NDArray[np.integer], sizes: NDArray[np.integer]) -> Values:
    """Silhouettes (n,) from each point's summed distances (n, k) to the segments, of which `own` (n,) is the own."""
    every = np.arange(len(own))
    own_size = sizes[own]
    within = sums[every, own] / np.maximum(own_size - 1, 1)
    means = np.divide(sums, sizes, out=np.full(sums.shape, np.inf), where=sizes > 0)
    means[every, own] = np.inf
    between = means.min(axis=1)
    largest = np.maximum(within, between)
    measurable = np.isfinite(between) & (largest > 0.0) & (own_size > 1)
    apart: Values = np.divide(between - within, largest, out=np.zeros(len(own)), where=measurable)
    return apart
