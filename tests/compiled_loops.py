"""Compile the loops of the library on small tables, before workers start that would each do it.

`python tests/compiled_loops.py` compiles what is missing, in two processes that compile one half each.
"""

import multiprocessing
import os
import re
import tempfile
from collections.abc import Callable, Iterable
from pathlib import Path

import numpy as np
import pandas as pd

import gauger
from gauger.algorithms.neighbours import compile_neighbours

_KEPT_LOOP = re.compile(r"^@njit\((?!.*inline)[^\n]*\ndef (\w+)", re.MULTILINE)
"""A loop that is compiled for itself and kept; those that are written into others are not."""


def compile_what_is_missing() -> None:
    """Compile everything in two processes when a loop is not on the disk yet.

    Raises
    ------
    RuntimeError
        When a loop is missing even then: nothing here calls it, and every run of the tests would compile it again.
    """
    if os.environ.get("NUMBA_DISABLE_JIT") or not _missing():
        return
    halves = [multiprocessing.Process(target=half) for half in HALVES]
    for half in halves:
        half.start()
    for half in halves:
        half.join()
    if any(half.exitcode for half in halves):
        raise RuntimeError("the loops could not be compiled")
    if missing := _missing():
        raise RuntimeError(f"{__file__} compiles no {', '.join(missing)}: call what uses it there")


def _missing() -> list[str]:
    """The loops that are not on the disk, each as module.function."""
    sources = Path(gauger.__file__).parent
    found = {path.name.rpartition("-")[0] for path in _kept_files(sources)}
    loops = [f"{path.stem}.{name}" for path in sources.rglob("*.py") for name in _KEPT_LOOP.findall(path.read_text())]
    return sorted(set(loops) - found)


def _kept_files(sources: Path) -> Iterable[Path]:
    """The indices of compiled loops: next to the sources, or where `NUMBA_CACHE_DIR` says."""
    elsewhere = os.environ.get("NUMBA_CACHE_DIR")
    return Path(elsewhere).rglob("*.nbi") if elsewhere else sources.rglob("__pycache__/*.nbi")


def _table(rows: int = 60) -> pd.DataFrame:
    rng = np.random.default_rng(0)
    visits, spend = rng.normal(0.0, 1.0, rows) + 9.0 * (np.arange(rows) % 3), rng.exponential(size=rows) ** 2
    return pd.DataFrame({"who": range(rows), "visits": visits, "spend": spend})


def around_centres() -> None:
    """k-means, its studies and what is said of segments."""
    table = _table()
    features = gauger.prepare(table, key="who")
    study = gauger.study_counts(features, counts=range(1, 4), references=2, resamples=2)
    gauger.profile(study.segmentations[3], table, resamples=2)
    gauger.segment_by_kmeans(gauger.prepare(_table(30_000), key="who"), 5, starts=1)


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
    gauger.study_counts(features, counts=range(1, 4), method="tree", references=2, resamples=2)
    gauger.build_tree(features, linkage="single", metric="dtw")
    gauger.segment_by_density(features, 1.0, metric="dtw")


HALVES: tuple[Callable[[], None], ...] = (around_centres, without_centres)

if __name__ == "__main__":
    compile_what_is_missing()
