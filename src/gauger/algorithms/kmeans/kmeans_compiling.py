"""Compile every loop of k-means before it is needed."""

from functools import cache
from pathlib import Path

import numpy as np

from gauger.algorithms.compiling import compile_loops
from gauger.algorithms.kmeans import kernels
from gauger.algorithms.kmeans.seeding import scatter_seeds
from gauger.algorithms.row_order import mix_block

_SIGN = "kernels.assign_block-"
"""How the files begin that a compiled loop is kept in."""


def is_compiled() -> bool:
    """Whether an earlier run on this machine has left compiled loops."""
    try:
        return any(Path(str(kernels.assign_block.stats.cache_path)).glob(f"{_SIGN}*"))
    except (AttributeError, OSError):
        return True


@cache
def compile_kmeans() -> None:
    """Run every loop of k-means once on three rows; one signature each, the one that all calls have.

    That of bounds is compiled when a table is large enough for them.
    """
    columns, weights = np.array([[0.0, 1.0, 5.0]]), np.ones(3)
    centres, codes = np.array([[0.0], [5.0]]), np.full(3, -1, dtype=np.int32)
    counts, sums, squares = np.zeros(2), np.zeros((2, 1)), np.zeros(3)
    bits, hashes = columns[0].view(np.uint64), np.zeros(3, dtype=np.uint64)
    compile_loops(
        lambda: mix_block(bits, 0, 3, hashes),
        lambda: kernels.assign_block(columns, weights, 0, 3, centres, codes, counts, sums),
        lambda: kernels.refill(columns, weights, centres, codes, counts, sums),
        lambda: kernels.sums_block(columns, weights, 0, 3, codes, counts, sums),
        lambda: kernels.own_distances_block(columns, 0, 3, centres, codes, squares),
        lambda: kernels.iterate_block(columns, weights, centres, np.full(3, -1, dtype=np.int32), 1),
        lambda: scatter_seeds(columns, weights, np.full((2, 1), 0.5), np.zeros(2, dtype=np.intp)),
        first=True,
    )
