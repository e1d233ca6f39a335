"""Micro-segments: a million customers as two thousand weighted points that a tree can stand on."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans import assign, seed_plusplus, small_fit, sums_of, wcss_of
from gauger.algorithms.row_order import RowOrder
from gauger.progress import task

_SAMPLE_EACH = 20
"""Customers a micro-segment that the first centres are learned on: judgement."""

_ITERATIONS = 4
"""Iterations on that sample: micro-segments need not come to rest."""

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class MicroSegments:
    """`columns` (d, m) are their means, `weights` (m,) their sizes, `home` (n,) is each customer's.

    `wcss` is the sum of squares within them all.
    """

    columns: Values
    weights: Values
    home: NDArray[np.int32]
    wcss: float


def condense_customers(customers: RowOrder, count: int, seed: int) -> MicroSegments:
    """At most `count` micro-segments by k-means, a few iterations on a sample and two passes over everyone."""
    rng = np.random.default_rng([seed, count])
    with task(f"{count:,} micro-segments of {customers.size:,} customers", _ITERATIONS + 3) as advance:
        sample = customers.part(customers.sample(_SAMPLE_EACH * count, rng))
        seeds = seed_plusplus(sample, count, rng)
        advance(1)
        centres = np.ascontiguousarray(
            np.unique(small_fit(sample.columns, sample.weights, seeds, _ITERATIONS).centres, axis=0)
        )
        advance(_ITERATIONS)
        home = np.full(customers.size, -1, dtype=np.int32)
        for _ in range(2):
            assign(customers.columns, customers.weights, centres, home)
            sums = sums_of(customers.columns, customers.weights, home, len(centres))
            there = sums.weight > 0.0
            centres = np.where(there[:, None], sums.total / np.where(there, sums.weight, 1.0)[:, None], centres)
            advance(1)
        number = np.cumsum(there, dtype=np.int32) - 1
        home = number[home]
        kept = np.ascontiguousarray(centres[there])
        wcss = wcss_of(customers.columns, customers.weights, kept, home)
    return MicroSegments(np.ascontiguousarray(kept.T), sums.weight[there], home, wcss)
