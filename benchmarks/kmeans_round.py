"""One round of k-means (assign every customer, add up by segment) against the bare matrix product X @ C.T."""

from collections.abc import Iterator

import numpy as np
from gauger.clustering.sums import assign

from benchmarks.measuring import Measured, measure

SHAPES = ((1_000_000, 6, 5), (1_000_000, 20, 8))


def run() -> Iterator[Measured]:
    """Rounds on a million customers."""
    for n, d, k in SHAPES:
        rng = np.random.default_rng(0)
        values = rng.normal(size=(n, d))
        centres = values[:k].copy()
        columns = np.ascontiguousarray(values.T)
        codes = np.zeros(n, dtype=np.int32)
        yield measure(
            f"k-means round, {n:,} x {d}, k = {k}",
            lambda columns=columns, centres=centres, codes=codes: assign(columns, centres, codes),
            lambda values=values, centres=centres: values @ centres.T,
            "X @ C.T",
            runs=25,
        )
