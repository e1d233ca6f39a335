"""The exact silhouette against scipy's distances with a matrix product, over the same blocks of rows."""

from collections.abc import Iterator

import numpy as np
from scipy.spatial.distance import cdist

from benchmarks.measuring import Measured, measure
from gauger.algorithms.diagnostics.silhouettes import silhouette_values

_BLOCK = 1_000


def run() -> Iterator[Measured]:
    """20,000 customers, and how long 100,000 take."""
    values, codes = _made(20_000)
    member = np.eye(5)[codes - 1]

    def floor() -> None:
        for start in range(0, len(values), _BLOCK):
            cdist(values[start : start + _BLOCK], values) @ member

    columns = np.ascontiguousarray(values.T)
    yield measure(
        "exact silhouette, 20,000 x 6",
        lambda: silhouette_values(columns, codes),
        floor,
        "cdist and a matrix product",
        runs=3,
    )
    many, their_codes = _made(100_000)
    their_columns = np.ascontiguousarray(many.T)
    yield measure(
        "exact silhouette, 100,000 x 6",
        lambda: silhouette_values(their_columns, their_codes),
        lambda: silhouette_values(columns, codes),
        "the one of 20,000",
        runs=1,
    )


def _made(n: int) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(0)
    return rng.normal(size=(n, 6)), rng.integers(1, 6, size=n).astype(np.int32)
