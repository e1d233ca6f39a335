"""The gap statistic: its definition, its rule, and the tables it was made for."""

import numpy as np
import pytest

from gauger.algorithms.diagnostics.gap import Gap, gap_statistic
from gauger.algorithms.kmeans.small_tables import fits_by_count


def _gap(values: np.ndarray, references: int = 20) -> Gap:
    columns = np.ascontiguousarray(values.T)
    fits = fits_by_count(columns, range(1, 7), np.random.default_rng(0))
    return gap_statistic(values, {count: fit.wcss for count, fit in fits.items()}, references=references, seed=(1,))


def test_one_segment_follows_the_definition() -> None:
    """In one dimension the box is the range, and the expected log spread of even values can be worked out by itself."""
    values = np.random.default_rng(0).normal(size=(300, 1))
    rng = np.random.default_rng(9)
    low, high = values.min(), values.max()
    logs = [
        np.log(((even := rng.uniform(low, high, size=300)) - even.mean()) @ (even - even.mean())) for _ in range(4000)
    ]
    expected = np.mean(logs) - np.log(((values - values.mean()) ** 2).sum())
    gap = _gap(values, references=60)
    assert gap.gap[1] == pytest.approx(expected, abs=4 * np.std(logs) / np.sqrt(60))
    assert gap.error[1] == pytest.approx(np.std(logs) * np.sqrt(1 + 1 / 60), rel=0.35)


def test_the_box_turns_with_the_customers() -> None:
    rng = np.random.default_rng(1)
    values = rng.normal(size=(200, 2)) * [10.0, 1.0]
    turn = np.array([[0.6, -0.8], [0.8, 0.6]])
    for count in range(1, 7):
        assert _gap(values).gap[count] == pytest.approx(_gap(values @ turn).gap[count], abs=0.06)


def test_the_rule_takes_the_first_gap_within_an_error_of_the_next() -> None:
    gap = Gap({1: 0.2, 2: 0.5, 3: 0.9, 4: 0.91}, dict.fromkeys(range(1, 5), 0.05))
    assert gap.first_within_error() == 3
    assert Gap({1: 0.1, 2: 0.5}, {1: 0.0, 2: 0.0}).first_within_error() is None
    assert Gap({1: 0.9, 4: 0.5}, {1: 0.0, 4: 0.0}).first_within_error() is None


def test_it_finds_planted_groups_and_none_in_an_even_box() -> None:
    rng = np.random.default_rng(2)
    groups = np.repeat([[0.0, 0.0], [9.0, 0.0], [0.0, 9.0]], 60, axis=0) + rng.normal(size=(180, 2))
    assert _gap(groups).first_within_error() == 3
    assert _gap(rng.uniform(size=(300, 2))).first_within_error() == 1


def test_a_count_without_spread_has_no_gap() -> None:
    gap = gap_statistic(np.array([[0.0], [0.0], [1.0], [1.0]]), {1: 1.0, 2: 0.0}, references=3, seed=(0,))
    assert np.isnan(gap.gap[2])
    assert np.isnan(gap.error[2])
