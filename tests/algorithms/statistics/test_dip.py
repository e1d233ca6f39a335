"""The dip against its definition, solved as a linear programme, and against hand-worked samples."""

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from scipy.optimize import linprog

from gauger.algorithms.statistics.dip import scaled_dip


def _by_definition(values: np.ndarray) -> float:
    """The smallest distance to a function that is convex before a peak and concave after it, over every peak."""
    n = len(values)
    until = np.arange(1, n + 1) / n
    return min(_nearest_with_peak(values, until, peak) for peak in range(n))


def _nearest_with_peak(values: np.ndarray, until: np.ndarray, peak: int) -> float:
    """Unknown are the function at each value, its limit from below at the peak, and the distance."""
    n = len(values)
    rows, limits = [], []

    def at_most(weights: dict[int, float], limit: float) -> None:
        row = np.zeros(n + 2)
        for index, weight in weights.items():
            row[index] = weight
        rows.append(row)
        limits.append(limit)

    for i in range(n):
        at_most({n if i == peak else i: 1.0, n + 1: -1.0}, until[i] - 1 / n)
        at_most({i: -1.0, n + 1: -1.0}, -until[i])
    at_most({n: 1.0, peak: -1.0}, 0.0)
    for indices, at, sign in (([*range(peak), n], values[: peak + 1], 1.0), ([*range(peak, n)], values[peak:], -1.0)):
        for i in range(1, len(indices) - 1):
            before, after = 1 / (at[i] - at[i - 1]), 1 / (at[i + 1] - at[i])
            weights = {indices[i - 1]: -before, indices[i]: before + after, indices[i + 1]: -after}
            at_most({index: sign * weight for index, weight in weights.items()}, 0.0)
    goal = np.zeros(n + 2)
    goal[-1] = 1.0
    bounds = [(None, None)] * (n + 1) + [(0, None)]
    return float(linprog(goal, A_ub=np.array(rows), b_ub=limits, bounds=bounds).fun)


@example([0, 1, 2, 4, 6, 7, 8])
@given(st.lists(st.integers(0, 60), min_size=4, max_size=9, unique=True))
def test_any_sample_agrees_with_the_definition(drawn: list[int]) -> None:
    values = np.sort(np.array(drawn, dtype=float))
    found = scaled_dip(values) / np.sqrt(len(values))
    assert found == pytest.approx(_by_definition(values), abs=1e-9)


def test_evenly_spread_values_have_the_smallest_dip_there_is() -> None:
    assert scaled_dip(np.arange(10.0)) / np.sqrt(10) == pytest.approx(1 / 20)


def test_two_equal_heaps_far_apart_have_a_quarter() -> None:
    values = np.concatenate([np.linspace(0.0, 1e-6, 500), 1.0 + np.linspace(0.0, 1e-6, 500)])
    assert scaled_dip(values) / np.sqrt(1000) == pytest.approx(0.25, abs=0.002)


def test_the_scaled_dip_of_evenly_spread_values_hardly_depends_on_their_number() -> None:
    rng = np.random.default_rng(0)
    for n in (50, 400, 2_000):
        drawn = [scaled_dip(np.sort(rng.uniform(size=n))) for _ in range(200)]
        assert np.mean(drawn) == pytest.approx(0.37, abs=0.03)
        assert np.quantile(drawn, 0.95) < 0.6


def test_few_or_equal_values_have_no_dip() -> None:
    assert scaled_dip(np.array([1.0, 2.0])) == 0.0
    assert scaled_dip(np.ones(50)) == 0.0
