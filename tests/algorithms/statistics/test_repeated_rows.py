"""Rows that repeat a hidden customer are found; measures that depend on each other are not taken for such."""

import numpy as np
import pytest

from gauger.algorithms.statistics import hidden_repeats


def _joined(seed: int, customers: int = 250, rows: int = 900) -> tuple[np.ndarray, np.ndarray]:
    """Age, income and tenure of customers, each with the values of several orders."""
    rng = np.random.default_rng(seed)
    own = np.column_stack(
        [rng.integers(18, 80, customers), rng.lognormal(10.0, 0.4, customers), rng.integers(0, 20, customers)]
    )
    who = np.concatenate([np.arange(customers), rng.integers(0, customers, rows - customers)])
    return np.column_stack([own[who], rng.lognormal(3.0, 0.5, rows)]), who


@pytest.mark.parametrize("seed", range(4))
def test_columns_that_repeat_together_are_found_with_the_number_of_customers(seed: int) -> None:
    values, who = _joined(seed)
    found = hidden_repeats(values, np.random.default_rng(0))
    assert found is not None
    assert found.columns == (0, 1, 2)
    assert found.distinct == 250
    assert len({(a, b) for a, b in zip(found.codes.tolist(), who.tolist(), strict=True)}) == 250


@pytest.mark.parametrize("seed", range(4))
def test_what_only_two_columns_identify_is_found_too(seed: int) -> None:
    rng = np.random.default_rng(seed)
    own = np.column_stack([rng.integers(0, 40, 200), rng.integers(0, 40, 200), rng.integers(0, 30, 200)])
    values = np.column_stack([own[np.arange(800) % 200], rng.normal(size=800)]).astype(float)
    found = hidden_repeats(values, np.random.default_rng(0))
    assert found is not None
    assert set(found.columns) == {0, 1, 2}


@pytest.mark.parametrize("seed", range(6))
def test_dependent_measures_of_single_customers_repeat_nothing(seed: int) -> None:
    rng = np.random.default_rng(seed)
    visits = 1.0 + rng.poisson(9.0, 1_500)
    days = np.minimum(visits, 1.0 + rng.binomial(visits.astype(int), 0.9))
    age = rng.integers(18, 90, 1_500).astype(float)
    table = np.column_stack([visits, days, age, 2026.0 - age, np.log1p(visits), rng.normal(size=1_500)])
    assert hidden_repeats(table, rng) is None
    assert hidden_repeats(rng.normal(size=(300, 3)), rng) is None
    assert hidden_repeats(np.repeat(rng.normal(size=(100, 3)), 3, axis=0), rng) is None  # exact copies, not a join


def test_few_rows_and_few_columns_have_an_answer() -> None:
    rng = np.random.default_rng(0)
    for shape in ((1, 1), (3, 2), (40, 1), (0, 2)):
        assert hidden_repeats(np.zeros(shape), rng) is None
