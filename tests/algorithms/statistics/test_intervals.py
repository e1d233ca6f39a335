"""Intervals: what the published figures of `tests/campaigns/test_measuring.py` leave open."""

import math

import numpy as np
import pytest
from scipy import stats

from gauger.algorithms.statistics.intervals import (
    LEVEL,
    _studentised,
    clopper_pearson,
    difference_of_means,
    newcombe,
    wilson,
)


@pytest.mark.parametrize(("yes", "n"), [(0, 9), (1, 9), (4, 9), (8, 9), (9, 9), (1, 1)])
def test_the_exact_interval_is_that_of_the_binomial_test(yes: int, n: int) -> None:
    expected = stats.binomtest(yes, n).proportion_ci(0.95, method="exact")
    assert clopper_pearson(yes, n) == pytest.approx((expected.low, expected.high), abs=1e-12)


def test_a_smaller_level_leaves_out_less() -> None:
    assert wilson(5, 40, 0.01)[0] < wilson(5, 40)[0] < 5 / 40 < wilson(5, 40)[1] < wilson(5, 40, 0.01)[1]
    low, high = newcombe(30, 100, 10, 100, 0.01)
    assert low < newcombe(30, 100, 10, 100)[0] < 0.2 < newcombe(30, 100, 10, 100)[1] < high


@pytest.mark.parametrize("counts", [(0, 0, 3, 9), (3, 9, 0, 0)])
def test_an_empty_arm_has_no_interval(counts: tuple[int, int, int, int]) -> None:
    assert np.isnan(newcombe(*counts)).all()


def _arm(buyers: int, others: int, low: float = 15.0, high: float = 25.0) -> np.ndarray:
    return np.concatenate([np.tile([low, high], buyers // 2), np.zeros(others)])


def test_of_very_many_buyers_the_interval_is_the_normal_one_worked_by_hand() -> None:
    """The error of a logarithm of a mean is sqrt((1 + cv²) / buyers - 1 / n), and two intervals meet as Newcombe's."""
    own, other = _arm(6_000, 4_000), _arm(5_000, 15_000, 10.0, 30.0)
    squares = [(buyers * np.var(arm[:buyers], ddof=1) / 20.0**2) for arm, buyers in ((own, 6_000), (other, 5_000))]
    spread = sum(squares) / 11_000
    z = stats.norm.ppf(0.975)
    ends = []
    for mean, buyers, n in ((12.0, 6_000, 10_000), (5.0, 5_000, 20_000)):
        error = math.sqrt((1.0 + spread) / buyers - 1.0 / n)
        ends.append((mean * math.exp(-z * error), mean * math.exp(z * error)))
    (low, high), (other_low, other_high) = ends
    expected = 7.0 - math.hypot(12.0 - low, other_high - 5.0), 7.0 + math.hypot(high - 12.0, 5.0 - other_low)
    assert difference_of_means(own, other, LEVEL, np.random.default_rng(0)) == pytest.approx(expected, rel=1e-12)


def test_where_everyone_spends_the_same_means_are_certain() -> None:
    """Nobody is drawn in or out, and values do not vary: 1 / n takes away all that 1 / buyers brings."""
    rng = np.random.default_rng(0)
    assert difference_of_means(np.full(5_000, 3.0), np.full(6_000, 2.0), LEVEL, rng) == pytest.approx((1.0, 1.0))


@pytest.mark.parametrize(
    ("buyers", "draws"), [(20, 10_000), (500, 10_000), (501, 9_980), (1_000, 5_000), (4_999, 1_000)]
)
def test_beyond_500_buyers_fewer_resamples_are_drawn(buyers: int, draws: int) -> None:
    drawn = _studentised(2 * buyers, buyers, np.array([0.5, 1.0, 1.5]), np.random.default_rng(1))
    assert len(drawn) == draws


def test_drawn_means_are_about_the_true_one_in_units_of_their_errors() -> None:
    drawn = _studentised(4_000, 400, np.array([0.5, 1.0, 1.5]), np.random.default_rng(2))
    assert abs(np.median(drawn)) < 0.1
    assert drawn.std() == pytest.approx(1.0, abs=0.1)
    assert np.quantile(drawn, [0.025, 0.975]) == pytest.approx([-1.96, 1.96], abs=0.25)


@pytest.mark.parametrize(("buyers", "known"), [(19, False), (20, True)])
def test_each_arm_needs_twenty_buyers(buyers: int, known: bool) -> None:
    many, few = np.tile([0.0, 20.0, 30.0], 200), np.where(np.arange(300) < buyers, 20.0, 0.0)
    for arms in ((many, few), (few, many)):
        assert np.isfinite(difference_of_means(*arms, LEVEL, np.random.default_rng(0))).all() == known


def test_a_negative_value_in_either_arm_has_no_interval() -> None:
    many = np.tile([0.0, 20.0, 30.0], 200)
    refunded = many.copy()
    refunded[1] = -1.0
    for arms in ((many, refunded), (refunded, many)):
        assert np.isnan(difference_of_means(*arms, LEVEL, np.random.default_rng(0))).all()
