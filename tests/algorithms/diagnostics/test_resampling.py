"""Prediction strength and stability: hand-worked pairs, planted groups, and clouds that dissolve."""

import numpy as np
import pytest

from gauger.algorithms.diagnostics.resampling import _jaccards, _kept_together, prediction_strength, stability
from gauger.algorithms.kmeans.small_tables import SmallFit, fits_by_count

GROUPS = np.repeat([[0.0, 0.0], [9.0, 0.0], [0.0, 9.0]], 80, axis=0)


def _columns(values: np.ndarray) -> np.ndarray:
    return np.ascontiguousarray(values.T)


def test_pairs_kept_together_are_counted_by_hand() -> None:
    columns = np.array([[0.0, 1.0, 2.0, 3.0, 10.0, 11.0]])
    own = SmallFit(np.array([0, 0, 0, 0, 1, 1], dtype=np.int32), np.array([[1.5], [10.5]]), 0.0)
    assert _kept_together(columns, own, np.array([[0.0], [4.0]])) == pytest.approx(min((3 + 0) * 2 / (4 * 3), 1.0))
    assert _kept_together(columns, own, own.centres) == 1.0


def test_the_most_similar_segment_is_found_by_hand() -> None:
    fit = SmallFit(np.array([0, 0, 0, 1, 1], dtype=np.int32), np.zeros((2, 1)), 0.0)
    similar = _jaccards(fit, np.array([0, 1, 3, 4]), np.array([0, 1, 1, 1], dtype=np.int32))
    assert similar.tolist() == [1 / 2, 2 / 3]


def test_planted_groups_are_foretold_and_come_back_and_more_do_not() -> None:
    columns = _columns(GROUPS + np.random.default_rng(0).normal(size=GROUPS.shape))
    strength = prediction_strength(columns, range(1, 6), splits=6, seed=(0,))
    fits = fits_by_count(columns, range(1, 6), np.random.default_rng(1), starts=4)
    stable = stability(columns, fits, resamples=12, seed=(0,))
    assert strength[1] == stable[1] == 1.0
    assert strength[3] > 0.95
    assert stable[3] > 0.95
    for count in (4, 5):
        assert strength[count] < 0.8
        assert stable[count] < 0.8


def test_counts_that_a_half_is_too_small_for_are_left_out() -> None:
    columns = np.array([[0.0, 0.0, 0.0, 0.0, 5.0, 5.0, 5.0, 5.0, 9.0]])
    strength = prediction_strength(columns, range(1, 4), splits=4, seed=(0,))
    assert set(strength) <= {1, 2, 3}
    assert strength[1] == 1.0


def test_stability_is_that_of_the_segment_that_comes_back_least_on_average() -> None:
    """By turns the first and the last of three come back whole, while the other two are mixed."""
    fit = SmallFit(np.repeat([0, 1, 2], 40).astype(np.int32), np.zeros((3, 1)), 0.0)
    turn = iter(range(99))

    def fitter(part: np.ndarray, _counts: object, _rng: object, _weights: object) -> dict[int, SmallFit]:
        whole, own = 2 * (next(turn) % 2), part[0].astype(np.int32) // 40
        mixed = 1 + (np.arange(len(own), dtype=np.int32) + whole) % 2 - whole // 2
        return {3: SmallFit(np.where(own == whole, own, mixed), np.zeros((3, 1)), 0.0)}

    found = stability(np.arange(120.0)[None, :], {3: fit}, resamples=8, seed=(0,), fitter=fitter)
    assert 0.25 < found[3] < 0.45
