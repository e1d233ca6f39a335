"""Preparing a million customers: time against sorting the same array, and memory against its size."""

from collections.abc import Iterator

import numpy as np
import pandas as pd

import gauger
from benchmarks.measuring import Measured, measure, weigh

N, D = 1_000_000, 10


def run() -> Iterator[Measured]:
    """Cap, log and z-score of ten features."""
    values = np.random.default_rng(0).lognormal(size=(N, D))
    table = pd.DataFrame({"who": np.arange(N)} | {f"f{index}": values[:, index].copy() for index in range(D)})
    what = f"prepare {N:,} x {D}: cap, log, zscore"

    def work() -> gauger.FeatureSet:
        return gauger.prepare(table, key="who", cap=(0.0, 0.99), transform="log")

    yield measure(what, work, lambda: np.sort(values, axis=0), "np.sort by column", runs=7)
    yield weigh(f"{what}, memory", work, values.nbytes, "the array")
