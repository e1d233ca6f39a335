"""Raced starts: no worse than full ones, far customers included, and equal ends counted once."""

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.algorithms.kmeans.lloyd import run_lloyd
from gauger.algorithms.kmeans.racing import SAMPLE, race
from gauger.algorithms.kmeans.seeding import seed_plusplus
from gauger.algorithms.row_order import RowOrder
from gauger.clustering.ordering import order_customers


def _customers(values: np.ndarray) -> RowOrder:
    table = pd.DataFrame(values).rename(columns=str).assign(who=range(len(values)))
    return order_customers(gauger.prepare(table, key="who"))


def _raced(customers: RowOrder, count: int, starts: int = 10) -> float:
    entrants = race(customers, count, seed_plusplus, "kmeans++", starts, np.random.SeedSequence(0))
    assert [entrant.wcss for entrant in entrants] == sorted(entrant.wcss for entrant in entrants)
    ends = (run_lloyd(customers.columns, customers.weights, one.centres, 300).wcss for one in entrants[:3])
    return min(ends)


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(3))
def test_the_race_ends_as_low_as_thirty_full_starts(seed: int) -> None:
    rng = np.random.default_rng(seed)
    values = rng.normal(size=(6, 3))[rng.integers(6, size=SAMPLE + 2_000)] * 3 + rng.normal(size=(SAMPLE + 2_000, 3))
    customers = _customers(values)
    full = min(
        run_lloyd(customers.columns, customers.weights, seed_plusplus(customers, 6, rng), 300).wcss for _ in range(30)
    )
    assert _raced(customers, 6) <= full * 1.002


def test_a_few_far_customers_are_not_missed_by_the_sample() -> None:
    rng = np.random.default_rng(5)
    values = rng.normal(size=(30_000, 2))
    values[:2] += [600.0, 0.0]
    values[2:4] += [0.0, 900.0]
    customers = _customers(values)
    best = run_lloyd(
        customers.columns,
        customers.weights,
        np.ascontiguousarray(customers.columns[:, np.argsort(customers.order)[[0, 2, 10]]].T),
        300,
    )
    assert _raced(customers, 3) == pytest.approx(best.wcss)


def test_starts_that_come_to_the_same_count_once() -> None:
    values = np.repeat([[0.0], [50.0], [90.0]], 30, axis=0) + np.random.default_rng(1).normal(size=(90, 1))
    assert len(race(_customers(values), 3, seed_plusplus, "kmeans++", 10, np.random.SeedSequence(0))) < 8


def test_rare_values_that_a_sample_may_lack_are_found() -> None:
    values = np.zeros((20_000, 1))
    values[7], values[9] = 1.0, 2.0
    assert _raced(_customers(values), 3) == pytest.approx(0.0)
