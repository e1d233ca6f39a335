"""A whole profile against pandas' means and medians by group of the same frame."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pandas as pd

import gauger
from benchmarks.measuring import Measured, measure
from gauger.clustering.kmeans import kmeans_refit
from gauger.segmentation import segmentation_from_codes

_CUSTOMERS, _FEATURES, _SEGMENTS = 1_000_000, 10, 8


def run() -> Iterator[Measured]:
    """1,000,000 customers by 10 features in 8 segments."""
    rng = np.random.default_rng(0)
    codes = rng.integers(0, _SEGMENTS, size=_CUSTOMERS)
    centres = rng.normal(0.0, 4.0, size=(_SEGMENTS, _FEATURES))
    names = [f"f{index}" for index in range(_FEATURES)]
    table = pd.DataFrame(centres[codes] + rng.normal(size=(_CUSTOMERS, _FEATURES)), columns=names)
    table.insert(0, "who", np.arange(_CUSTOMERS))
    features = gauger.prepare(table, key="who", features=names, scale="none")
    made = segmentation_from_codes(features, codes + 1, method="k-means")
    seg = replace(made, refit=kmeans_refit(_SEGMENTS))

    def floor() -> None:
        groups = features.original.groupby(seg.codes)
        groups.mean()
        groups.median()

    yield measure(
        "profile, 1,000,000 x 10, 8 segments", lambda: gauger.profile(seg), floor, "means and medians by group", runs=5
    )
