"""Compile the kernels before they are needed, so that whoever listens hears why the first run takes longer."""

from collections.abc import Callable
from functools import cache

import numpy as np

from gauger.clustering import kernels
from gauger.progress import task


@cache
def warm_up() -> None:
    """Run every kernel of k-means once on three customers: compiled on the first run on a machine, loaded after that.

    One signature each, the one that all calls have.
    """
    columns, weights = np.array([[0.0, 1.0, 5.0]]), np.ones(3)
    centres, codes = np.array([[0.0], [5.0]]), np.full(3, -1, dtype=np.int32)
    counts, sums, squares = np.zeros(2), np.zeros((2, 1)), np.zeros(3)
    bits, hashes = columns[0].view(np.uint64), np.zeros(3, dtype=np.uint64)
    chosen, bounds = np.zeros(2, dtype=np.intp), np.array([0, 2, 3])
    steps: tuple[Callable[[], object], ...] = (
        lambda: kernels.mix_block(bits, 0, 3, hashes),
        lambda: kernels.assign_block(columns, weights, 0, 3, centres, codes, counts, sums),
        lambda: kernels.reassign_block(columns, weights, 0, 3, centres, np.zeros(2), np.zeros(3), codes, counts, sums),
        lambda: kernels.refill(columns, weights, centres, codes, counts, sums),
        lambda: kernels.sums_block(columns, weights, 0, 3, codes, counts, sums),
        lambda: kernels.own_distances_block(columns, 0, 3, centres, codes, squares),
        lambda: kernels.settle(columns, weights, centres, np.full(3, -1, dtype=np.int32), 1),
        lambda: kernels.scatter_seeds(columns, weights, np.full((2, 1), 0.5), chosen),
        lambda: kernels.distance_sums_block(np.ascontiguousarray(columns.T), columns, bounds, np.zeros((3, 2))),
    )
    with task("compiling for this machine, once", len(steps)) as advance:
        for step in steps:
            step()
            advance(1)
