"""How often density recovers planted groups of odd shapes, and says plainly that there are none.

`python -m benchmarks.shapes` tries the seeds that were never used while the advice was made; `python -m
benchmarks.shapes 100 116` others.
"""

import os
import sys
from concurrent.futures import ProcessPoolExecutor
from itertools import product

import numpy as np
import pandas as pd

import gauger
from benchmarks.odd_shapes import SHAPES, STRUCTURELESS, make_shape
from gauger.algorithms.statistics.contingency import adjusted_rand

FRESH = range(5_000, 5_020)
NOISES = (0.0, 0.05, 0.1)
RECOVERED = 0.95


def main() -> None:
    """Study every table at its advised radius and by density levels, and print the shares by shape."""
    seeds = range(*map(int, sys.argv[1:3])) if len(sys.argv) > 2 else FRESH
    os.environ["GAUGER_THREADS"] = "1"
    jobs = list(product((*SHAPES, *STRUCTURELESS), NOISES, seeds))
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        found = pd.DataFrame(list(pool.map(_study, jobs, chunksize=4)))
    planted, none = found[found["shape"].isin(SHAPES)], found[found["shape"].isin(STRUCTURELESS)]
    print(f"seeds {seeds.start} to {seeds.stop - 1}, {len(found)} tables")
    print(f"\nplanted groups recovered (adjusted Rand {RECOVERED} or more), in percent")
    by_shape = planted.groupby(["shape", "noise"], sort=False)
    print((100.0 * by_shape[["radius", "levels", "clear"]].mean()).round(0).to_string())
    print((100.0 * planted[["radius", "levels", "clear"]].mean()).round(1).to_string())
    print("\nstructureless tables called so, in percent")
    print((100.0 * none.groupby(["shape", "noise"], sort=False)["none"].mean()).round(0).to_string())
    print(f"planted ones called structureless: {int(planted['none'].sum())} of {len(planted)}")


def _study(job: tuple[str, float, int]) -> dict[str, object]:
    shape, noise, seed = job
    points, groups = make_shape(shape, noise=noise, seed=seed)
    table = pd.DataFrame(points, columns=["x", "y"])
    table.insert(0, "who", np.arange(len(table)))
    features = gauger.prepare(table, key="who", scale="none")
    study = gauger.study_radius(features)
    by_radius = gauger.segment_by_density(features, study.advice.radius)
    by_levels = gauger.segment_by_density_levels(features)
    own = groups > 0
    return {
        "shape": shape,
        "noise": noise,
        "radius": adjusted_rand(by_radius.codes[own], groups[own]) >= RECOVERED,
        "levels": adjusted_rand(by_levels.codes[own], groups[own]) >= RECOVERED,
        "clear": study.advice.verdict == "clear",
        "none": study.advice.verdict == "no structure",
    }


if __name__ == "__main__":
    main()
