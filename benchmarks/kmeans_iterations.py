"""An iteration of k-means against the bare matrix product X @ C.T, and whole runs with pruning against plain ones."""

from collections.abc import Iterator

import numpy as np

from benchmarks.measuring import Measured, measure
from gauger.algorithms.kmeans.lloyd import assign, run_lloyd

SIZES = ((1_000_000, 6, 5), (1_000_000, 20, 8))


def run() -> Iterator[Measured]:
    """Iterations, and runs to convergence, on a million customers."""
    for n, d, k in SIZES:
        yield from _iterations(n, d, k)
        yield from _whole_run(n, d, k)


def _iterations(n: int, d: int, k: int) -> Iterator[Measured]:
    rng = np.random.default_rng(0)
    values = rng.normal(size=(n, d))
    centres = values[:k].copy()
    columns, weights = np.ascontiguousarray(values.T), np.ones(n)
    codes = np.empty(n, dtype=np.int32)

    def first() -> None:
        codes.fill(-1)
        assign(columns, weights, centres, codes)

    shape = f"{n:,} x {d}, k = {k}"
    yield measure(f"k-means first iteration, {shape}", first, lambda: values @ centres.T, "X @ C.T", runs=25)
    yield measure(
        f"k-means last iteration, {shape}",
        lambda: assign(columns, weights, centres, codes),
        lambda: values @ centres.T,
        "X @ C.T",
        runs=25,
    )


def _whole_run(n: int, d: int, k: int) -> Iterator[Measured]:
    rng = np.random.default_rng(1)
    groups = rng.normal(size=(k, d)) * 1.5
    columns = np.ascontiguousarray((groups[rng.integers(k, size=n)] + rng.normal(size=(n, d))).T)
    weights, centres = np.ones(n), np.ascontiguousarray(columns[:, :k].T)
    iterations = len(run_lloyd(columns, weights, centres, 300).history)
    codes = np.empty(n, dtype=np.int32)

    def fused_iterations() -> None:
        for _ in range(iterations):
            codes.fill(-1)
            assign(columns, weights, centres, codes)

    shape = f"{n:,} x {d}, k = {k}"
    floors = {
        f"{iterations} iterations that add everyone up": fused_iterations,
        "the same, only movers added, unpruned": lambda: run_lloyd(columns, weights, centres, 300, prune_below=0.0),
    }
    for named, floor in floors.items():
        yield measure(
            f"k-means to the end, {shape}",
            lambda: run_lloyd(columns, weights, centres, 300),
            floor,
            named,
            runs=5,
        )
