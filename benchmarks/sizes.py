"""How long each step takes by the number of customers, and how much memory: what one machine is good for.

`python -m benchmarks.sizes` writes what it measures to docs/results/sizes.json, of which the documentation's table is
made; every step is a process of its own, so that its memory is its own. It takes some minutes.
"""

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

import gauger

RESULTS = Path(__file__).parents[1] / "docs" / "results" / "sizes.json"
SIZES = (1_000, 10_000, 100_000, 1_000_000)
FEATURES = 6
_COUNT = 6
_MEMORY_GB = 8
"""What steps may count on: an ordinary laptop's."""
_MOST_SECONDS = 300
"""A step that takes longer is not tried with more customers."""


def features_of(n: int) -> gauger.FeatureSet:
    """Six groups of customers with borders that touch, over six measures."""
    rng = np.random.default_rng(n)
    centres = rng.normal(0.0, 3.0, (_COUNT, FEATURES))
    values = centres[rng.integers(0, _COUNT, n)] + rng.normal(0.0, 1.0, (n, FEATURES))
    table = pd.DataFrame(values, columns=[f"measure_{at + 1}" for at in range(FEATURES)])
    table.insert(0, "who", np.arange(n))
    return gauger.prepare(table, key="who")


def _profiled(features: gauger.FeatureSet) -> object:
    return gauger.profile(gauger.segment_by_kmeans(features, _COUNT))


def _bands(features: gauger.FeatureSet) -> object:
    return gauger.segment_by_bands(features, {"measure_1": 5, "measure_2": 5}, combine="score")


STEPS: dict[str, Callable[[gauger.FeatureSet], object]] = {
    "k-means, 6 segments": lambda features: gauger.segment_by_kmeans(features, _COUNT),
    "study of the count, 1 to 10": gauger.study_counts,
    "profile, with k-means": _profiled,
    "tree, Ward": gauger.build_tree,
    "tree, average": lambda features: gauger.build_tree(features, linkage="average"),
    "tree, Ward, condensed to 2,000": lambda features: gauger.build_tree(features, condense=2_000),
    "density, one radius": lambda features: gauger.segment_by_density(features, 0.6),
    "density levels": gauger.segment_by_density_levels,
    "bands that add up": _bands,
}


def one(step: str, n: int) -> dict[str, Any]:
    """A step in this process: its seconds, the megabytes it added, or why it refuses."""
    STEPS[step](features_of(400))  # load and compile
    features = features_of(n)
    Path("/proc/self/clear_refs").write_text("5")  # the peak counts from here
    before = _kilobytes("VmRSS")
    began = time.perf_counter()
    try:
        STEPS[step](features)
    except gauger.GaugerError as error:
        return {"step": step, "customers": n, "refused": str(error)}
    seconds = time.perf_counter() - began
    added = (_kilobytes("VmHWM") - before) / 1024
    return {"step": step, "customers": n, "seconds": round(seconds, 3), "added_mb": round(added, 1)}


def _kilobytes(name: str) -> int:
    """A figure that Linux keeps of this process."""
    lines = Path("/proc/self/status").read_text(encoding="ascii").splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith(f"{name}:"))


def measured() -> list[dict[str, Any]]:
    """Every step at every size, each in a process of its own."""
    found = []
    for step in STEPS:
        for n in SIZES:
            surroundings = {**os.environ, "GAUGER_MEMORY_GB": str(_MEMORY_GB)}
            words = [sys.executable, "-m", "benchmarks.sizes", step, str(n)]
            done = subprocess.run(words, capture_output=True, text=True, check=True, env=surroundings)
            found.append(json.loads(done.stdout))
            print(found[-1], flush=True)
            if "refused" in found[-1] or found[-1]["seconds"] * 10 > _MOST_SECONDS:
                break
    return found


def table_of(results: dict[str, Any]) -> str:
    """Seconds and megabytes, a row a step and a column a size."""
    heads = [f"{size:,}" for size in SIZES]
    lines = [f"| step | {' | '.join(heads)} |", f"| --- |{' ---: |' * len(heads)}"]
    for step in dict.fromkeys(row["step"] for row in results["rows"]):
        rows = {row["customers"]: row for row in results["rows"] if row["step"] == step}
        lines.append(f"| {step} | {' | '.join(_cell(rows.get(size)) for size in SIZES)} |")
    return "\n".join(lines)


def _cell(row: dict[str, Any] | None) -> str:
    if row is None:
        return "not tried"
    if "refused" in row:
        return "refused: too large for memory"
    seconds = row["seconds"]
    shown = f"{seconds:.2f} s" if seconds < 10 else f"{seconds:,.0f} s"
    return f"{shown}, {max(row['added_mb'], 0.0):,.0f} MB"


def machine_of(results: dict[str, Any]) -> str:
    """On what it was measured."""
    return (
        f"Measured on {results['cores']} cores with {results['memory_gb']:.0f} GB of memory, six measures a customer."
    )


TABLES = {"sizes": table_of, "machine": machine_of}
"""What the documentation has of the results."""


def main() -> None:
    """Measure and keep the results; with a step and a size only that one, for the process that asked."""
    if len(sys.argv) > 1:
        print(json.dumps(one(sys.argv[1], int(sys.argv[2]))))
        return
    results = {"cores": os.cpu_count(), "memory_gb": _MEMORY_GB, "rows": measured()}
    RESULTS.write_text(json.dumps(results, indent=1) + "\n", encoding="utf-8")
    print(table_of(results))


if __name__ == "__main__":
    main()
