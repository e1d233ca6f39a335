"""Density against scipy's kd-tree, which only counts or finds the same neighbours."""

from collections.abc import Iterator
from functools import partial

import numpy as np
import pandas as pd
from scipy.spatial import cKDTree

import gauger
from benchmarks.measuring import Measured, measure, weigh

NEIGHBOURS = 500
LEVELS_POINTS = 8


def run() -> Iterator[Measured]:
    """Density at a radius with about 500 neighbours, density levels, the study of the radius, and a million."""
    wide = _features(200_000, 3)
    radius = _radius_with(wide, NEIGHBOURS)
    count = partial(_count, wide, radius)
    for min_points in (6, NEIGHBOURS):
        segment = partial(gauger.segment_by_density, wide, radius, min_points=min_points)
        name = f"density, 200,000 x 3, min points {min_points}"
        yield measure(name, segment, count, f"kd-tree counting {NEIGHBOURS} neighbours each", runs=2)
        yield weigh(f"{name}: memory", segment, wide.values.nbytes, "the values")
    study = partial(gauger.study_radius, wide)
    yield measure("study of the radius, 200,000 x 3", study, count, "the same counting", runs=1)
    several = _features(50_000, 4)
    levels = partial(gauger.segment_by_density_levels, several)
    query = partial(_query, several)
    yield measure("density levels, 50,000 x 4", levels, query, "kd-tree finding the same neighbours", runs=3)
    many = _features(1_000_000, 2)
    near = _radius_with(many, 50)
    segment = partial(gauger.segment_by_density, many, near)
    yield measure("density, 1,000,000 x 2", segment, count, "the counting of 200,000 x 3", runs=1)
    yield weigh("density, 1,000,000 x 2: memory", segment, many.values.nbytes, "the values")


def _count(features: gauger.FeatureSet, radius: float) -> object:
    return cKDTree(features.values).query_ball_point(features.values, radius, return_length=True)


def _query(features: gauger.FeatureSet) -> object:
    return cKDTree(features.values).query(features.values, k=LEVELS_POINTS)


def _radius_with(features: gauger.FeatureSet, neighbours: int) -> float:
    """A radius that has so many neighbours on average, itself among them."""
    tree, low, high = cKDTree(features.values), 0.0, 5.0
    sample = features.values[:: len(features.keys) // 1_000]
    for _ in range(20):
        middle = (low + high) / 2.0
        mean = tree.query_ball_point(sample, middle, return_length=True).mean()
        low, high = (middle, high) if mean < neighbours else (low, middle)
    return high


def _features(n: int, d: int) -> gauger.FeatureSet:
    """Six groups that overlap a little."""
    rng = np.random.default_rng(0)
    values = rng.normal(size=(n, d)) + 4.0 * rng.normal(size=(6, d))[rng.integers(0, 6, size=n)]
    table = pd.DataFrame(values, columns=list("abcd")[:d])
    table.insert(0, "who", np.arange(n))
    return gauger.prepare(table, key="who")
