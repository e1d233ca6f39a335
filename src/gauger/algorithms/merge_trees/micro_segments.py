"""Micro-segments: a million rows as two thousand weighted points that a tree can stand on."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans import assign, seed_plusplus, small_fit, sums_of, wcss_of
from gauger.algorithms.reports import task
from gauger.algorithms.row_order import RowOrder

_SAMPLE_EACH = 20
"""Points for each micro-segment that the first centres are learned on: judgement."""

_ITERATIONS = 4
"""Iterations on that sample: micro-segments need not come to rest."""

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class MicroSegments:
    """`columns` (d, m) are their means, `weights` (m,) their sizes, `home` (n,) is each point's.

    `wcss` is the sum of squares within them all.
    """

    columns: Values
    weights: Values
    home: NDArray[np.int32]
    wcss: float


def condense_points(points: RowOrder, count: int, seed: int) -> MicroSegments:
    """At most `count` micro-segments by k-means, a few iterations on a sample and two passes over everyone."""
    rng = np.random.default_rng([seed, count])
    with task(f"{count:,} micro-segments of {points.size:,} rows", _ITERATIONS + 3) as advance:
        sample = points.part(points.sample(_SAMPLE_EACH * count, rng))
        seeds = seed_plusplus(sample, count, rng)
        advance(1)
        centres = np.ascontiguousarray(
            np.unique(small_fit(sample.columns, sample.weights, seeds, _ITERATIONS).centres, axis=0)
        )
        advance(_ITERATIONS)
        home = np.full(points.size, -1, dtype=np.int32)
        for _ in range(2):
            assign(points.columns, points.weights, centres, home)
            sums = sums_of(points.columns, points.weights, home, len(centres))
            there = sums.weight > 0.0
            centres = np.where(there[:, None], sums.total / np.where(there, sums.weight, 1.0)[:, None], centres)
            advance(1)
        number = np.cumsum(there, dtype=np.int32) - 1
        home = number[home]
        kept = np.ascontiguousarray(centres[there])
        wcss = wcss_of(points.columns, points.weights, kept, home)
    return MicroSegments(np.ascontiguousarray(kept.T), sums.weight[there], home, wcss)
