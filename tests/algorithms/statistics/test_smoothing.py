"""Ties smoothed out: what flags, levels, zeros and heaps become, and that real gaps stay."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gauger.algorithms.statistics import Smoother, scaled_dip


def _smoothed(values: np.ndarray, seed: int = 0) -> np.ndarray:
    return Smoother.of(values).draw(np.random.default_rng(seed))


def _dip(values: np.ndarray) -> float:
    return scaled_dip(np.sort(values))


@pytest.mark.parametrize("share", [0.03, 0.3, 0.5, 0.9])
def test_a_flag_becomes_one_normal_measure_and_keeps_its_order(share: float) -> None:
    flag = np.random.default_rng(1).random(2_000) < share
    smooth = _smoothed(flag.astype(float))
    assert smooth[flag].min() >= smooth[~flag].max()
    assert abs(smooth.mean()) < 0.05
    assert smooth.std() == pytest.approx(1.0, abs=0.05)
    assert _dip(smooth) < 0.5


def test_an_atom_of_zeros_reaches_to_the_median_of_the_others() -> None:
    rng = np.random.default_rng(2)
    share = np.where(rng.random(2_000) < 0.5, 0.0, rng.beta(3.0, 3.0, 2_000))
    smooth = _smoothed(share)
    positive = share > 0.0
    np.testing.assert_array_equal(smooth[positive], share[positive])
    middle = np.median(share[positive])
    assert 0.98 * middle < smooth[~positive].max() <= middle * 1.02
    assert smooth[~positive].min() >= 0.0
    assert _dip(share) > 2.0
    assert _dip(smooth) < 0.6


def test_amounts_rounded_to_tens_and_fifties_have_one_peak() -> None:
    rng = np.random.default_rng(3)
    amounts = 300.0 + 50.0 * rng.normal(size=3_000)
    steps = rng.choice([1.0, 10.0, 50.0], size=3_000)
    heaped = np.round(amounts / steps) * steps
    assert _dip(heaped) > 2.0
    assert _dip(_smoothed(heaped)) < 0.6


def test_ties_are_spread_over_their_step_and_real_gaps_stay() -> None:
    column = np.repeat([1.0, 2.0, 3.0, 103.0, 104.0, 105.0], 50)
    smooth = _smoothed(column)
    assert np.abs(smooth - column).max() <= 1.0
    assert len(np.unique(smooth)) == 300
    assert smooth[column == 3.0].max() < 5.0
    assert smooth[column == 103.0].min() > 101.0


def test_what_does_not_repeat_stays_as_it_is() -> None:
    values = np.random.default_rng(4).normal(size=500)
    np.testing.assert_array_equal(_smoothed(values), values)
    assert _smoothed(np.full(20, 7.0)).std() > 0.0


@given(st.lists(st.integers(-4, 9), min_size=8, max_size=80), st.integers(0, 5))
def test_smoothing_never_turns_two_levels_around_by_their_medians(drawn: list[int], seed: int) -> None:
    values = np.array(drawn, dtype=float)
    smooth = _smoothed(values, seed)
    assert np.isfinite(smooth).all()
    levels = [smooth[values == level].max() for level in np.unique(values)]
    lowest = [smooth[values == level].min() for level in np.unique(values)]
    assert all(high >= low for high, low in zip(levels, lowest, strict=True))
    if len(levels) <= 5:
        assert all(lowest[at + 1] >= levels[at] for at in range(len(levels) - 1))


def test_smooth_values_snap_back_to_the_levels_as_often_as_they_were() -> None:
    rng = np.random.default_rng(5)
    flag = (rng.random(4_000) < 0.3).astype(float)
    share = np.where(rng.random(4_000) < 0.4, 0.0, rng.beta(2.0, 3.0, 4_000))
    counts = rng.poisson(4.0, 4_000).astype(float)
    for values in (flag, share, counts):
        smoother = Smoother.of(values)
        back = smoother.snap(smoother.draw(rng), rng)
        for level in np.unique(values)[:3]:
            assert (back == level).mean() == pytest.approx((values == level).mean(), abs=0.02)
