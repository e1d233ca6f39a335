"""Compile the loops of one half of the library, on tables of a few rows, before workers start that would each do it.

`python tests/compile_first.py 0` and `… 1` may run beside each other.
"""

import sys
from collections.abc import Callable

import numpy as np
import pandas as pd

import gauger


def _table(rows: int = 60) -> pd.DataFrame:
    rng = np.random.default_rng(0)
    visits, spend = rng.normal(0.0, 1.0, rows) + 9.0 * (np.arange(rows) % 3), rng.normal(size=rows)
    return pd.DataFrame({"who": range(rows), "visits": visits, "spend": spend})


def around_centres() -> None:
    """k-means, its studies and what is told of segments."""
    table = _table()
    features = gauger.prepare(table, key="who")
    study = gauger.study_counts(features, counts=range(1, 4), references=2, resamples=2)
    gauger.profile(study.segmentations[3], table, resamples=2)
    for linkage in ("complete", "average", "weighted", "centroid", "median"):
        gauger.build_tree(features, linkage=linkage, optimal_order=True).cophenetic()


def by_neighbours() -> None:
    """Density, trees without a matrix, and series."""
    features = gauger.prepare(_table(), key="who")
    gauger.study_radius(features)
    gauger.segment_by_density_levels(features, 10)
    gauger.segment_by_density(features, 1.0, metric="chebyshev")
    for linkage in ("ward", "single"):
        gauger.build_tree(features, linkage=linkage).cut(count=2)
    gauger.build_tree(features, linkage="single", metric="dtw")


HALVES: tuple[Callable[[], None], ...] = (around_centres, by_neighbours)

if __name__ == "__main__":
    HALVES[int(sys.argv[1])]()
