"""Merge trees against scipy's distances of 20,000 x 6, which they do without."""

from collections.abc import Iterator
from functools import partial

import numpy as np
import pandas as pd
from scipy.spatial.distance import pdist

import gauger
from benchmarks.measuring import Measured, measure, weigh

LINKAGES = ("ward", "centroid", "single")


def run() -> Iterator[Measured]:
    """Trees of 20,000 and 100,000 customers, their memory, and a million through micro-segments."""
    small, large = _features(20_000), _features(100_000)
    values = np.ascontiguousarray(small.values)
    floor = partial(pdist, values)
    for linkage in LINKAGES:
        build = partial(gauger.build_tree, small, linkage=linkage)
        yield measure(f"{linkage} tree, 20,000 x 6", build, floor, "pdist of the same", runs=3)
    for linkage in LINKAGES:
        build = partial(gauger.build_tree, large, linkage=linkage)
        yield measure(f"{linkage} tree, 100,000 x 6", build, floor, "pdist of 20,000 x 6", runs=1)
    for linkage in LINKAGES:
        for features in (small, large):
            name = f"{linkage} tree, {len(features.keys):,} x 6: memory"
            build = partial(gauger.build_tree, features, linkage=linkage)
            yield weigh(name, build, features.values.nbytes, "the values")
    many = _features(1_000_000)
    build = partial(gauger.build_tree, many, condense=2_000)
    yield measure("ward tree, 1,000,000 x 6, condensed", build, floor, "pdist of 20,000 x 6", runs=1)


def _features(n: int) -> gauger.FeatureSet:
    """Six overlapping groups and a tail."""
    rng = np.random.default_rng(0)
    values = rng.normal(size=(n, 6)) + 4.0 * rng.normal(size=(6, 6))[rng.integers(0, 6, size=n)]
    values[:, 5] = np.exp(0.5 * values[:, 5])
    table = pd.DataFrame(values, columns=list("abcdef"))
    table.insert(0, "who", np.arange(n))
    return gauger.prepare(table, key="who")
