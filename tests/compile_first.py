"""Compile the loops of one half of the library, on tables of a few rows, before workers start that would each do it.

`python tests/compile_first.py 0` and `… 1` may run beside each other.
"""

import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd

import gauger
from gauger.algorithms.neighbours import compile_neighbours


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


def out_of_core() -> None:
    """Sums, quantiles and hashes of keys in files."""
    with tempfile.TemporaryDirectory() as folder:
        table = _table()
        for key in (table["who"], table["who"].map("M{}".format)):
            source = gauger.write_table(table.assign(who=key), Path(folder) / "base.parquet", replace=True)
            base = gauger.open_table(source, execution=gauger.Execution(sample=20))
            _ = gauger.segment_by_kmeans(gauger.prepare(base, key="who", cap=(0.0, 0.9)), 2).profile


def without_centres() -> None:
    """Who is near whom, trees and series, and customers in files."""
    out_of_core()
    compile_neighbours()
    features = gauger.prepare(_table(), key="who")
    for linkage in ("complete", "average", "weighted", "centroid", "median", "ward", "single"):
        gauger.build_tree(features, linkage=linkage, optimal_order=True).cophenetic()
    gauger.build_tree(features, linkage="single", metric="dtw")


HALVES: tuple[Callable[[], None], ...] = (around_centres, without_centres)

if __name__ == "__main__":
    HALVES[int(sys.argv[1])]()
