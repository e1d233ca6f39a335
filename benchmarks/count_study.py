"""A whole study of the count, with every criterion, against one start of k-means on the same customers."""

from collections.abc import Iterator

import numpy as np
import pandas as pd

import gauger
from benchmarks.measuring import Measured, measure
from gauger.algorithms.kmeans.lloyd import run_lloyd
from gauger.algorithms.kmeans.seeding import seed_plusplus
from gauger.clustering.ordering import order_customers


def run() -> Iterator[Measured]:
    """100,000 customers of overlapping groups, and the time that 2,000 by ten features take."""
    many = _features(100_000, 6)
    everyone = order_customers(many)

    def one_start() -> None:
        seeds = seed_plusplus(everyone, 10, np.random.default_rng(0))
        run_lloyd(everyone.columns, everyone.weights, seeds, 1_000)

    yield measure(
        "count study 1 to 10, 100,000 x 6",
        lambda: gauger.study_counts(many),
        one_start,
        "one converged k-means, k = 10",
        runs=3,
    )
    few = _features(2_000, 10)
    yield measure(
        "count study 1 to 10, 2,000 x 10",
        lambda: gauger.study_counts(few),
        lambda: order_customers(few),
        "arranging",
        runs=3,
    )


def _features(n: int, d: int) -> gauger.FeatureSet:
    rng = np.random.default_rng(0)
    values = rng.normal(size=(6, d))[rng.integers(6, size=n)] * 1.5 + rng.normal(size=(n, d))
    table = pd.DataFrame(values, columns=[f"feature_{index}" for index in range(d)])
    return gauger.prepare(table.assign(who=range(n)), key="who")
