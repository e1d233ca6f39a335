"""Raced starts against ten full ones: how far each ends above the best that is known, and the time they take."""

import time
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import pandas as pd

import gauger
from benchmarks.battery import FAMILIES
from gauger.algorithms.kmeans.lloyd import run_lloyd
from gauger.algorithms.kmeans.racing import FINISHED, race
from gauger.algorithms.kmeans.seeding import seed_plusplus
from gauger.algorithms.row_order import RowOrder
from gauger.clustering.ordering import order_customers

_TABLES = ("overlapping", "unequal sizes", "outliers", "skewed behaviour", "one normal cloud")
_COUNTS = (3, 6, 10)


@dataclass(frozen=True)
class Compared:
    """A ratio of the two ways, in median and worst case."""

    what: str
    median: float
    worst: float

    def __str__(self) -> str:
        return f"{self.what:<48}{'median':>10}{self.median:>10.5f}{'worst':>10}{self.worst:>9.4f}"


def run() -> Iterator[Compared]:
    """Five families, three sizes, three counts."""
    raced, full, times = [], [], []
    for seed in range(4):
        for index, family in enumerate(_TABLES):
            everyone = _table(family, [seed, index], repeat=8 if seed == 3 else 1)
            for count in _COUNTS:
                began = time.perf_counter()
                mine = _raced(everyone, count, 10, FINISHED)
                between = time.perf_counter()
                theirs = _ten_full(everyone, count)
                times.append((between - began) / (time.perf_counter() - between))
                best = min(mine, theirs, _raced(everyone, count, 40, 6))
                raced.append(mine / best)
                full.append(theirs / best)
    yield Compared("raced starts, above the best known", float(np.median(raced)), max(raced))
    yield Compared("ten full starts, above the best known", float(np.median(full)), max(full))
    yield Compared("time of raced starts, of ten full ones", float(np.median(times)), max(times))


def _table(family: str, seed: list[int], repeat: int) -> RowOrder:
    rng = np.random.default_rng(seed)
    values = FAMILIES[family](rng)[1].to_numpy()
    values = np.repeat(values, repeat, axis=0) + rng.normal(
        size=(len(values) * repeat, values.shape[1])
    ) * 0.05 * values.std(axis=0)
    table = pd.DataFrame(values).rename(columns=str).assign(who=range(len(values)))
    return order_customers(gauger.prepare(table, key="who"))


def _raced(everyone: RowOrder, count: int, starts: int, finished: int) -> float:
    entrants = race(everyone, count, seed_plusplus, "kmeans++", starts, np.random.SeedSequence(5))[:finished]
    return min(run_lloyd(everyone.columns, everyone.weights, one.centres, 300).wcss for one in entrants)


def _ten_full(everyone: RowOrder, count: int) -> float:
    rng = np.random.default_rng(6)
    ends = []
    for _ in range(10):
        seeds = [int(rng.integers(everyone.size))]
        nearest = np.full(everyone.size, np.inf)
        for _ in range(count - 1):
            gaps = everyone.columns - everyone.columns[:, seeds[-1]][:, None]
            nearest = np.minimum(nearest, (gaps**2).sum(axis=0))
            seeds.append(int(rng.choice(everyone.size, p=nearest / nearest.sum())))
        centres = np.ascontiguousarray(everyone.columns[:, seeds].T)
        ends.append(run_lloyd(everyone.columns, everyone.weights, centres, 300).wcss)
    return min(ends)
