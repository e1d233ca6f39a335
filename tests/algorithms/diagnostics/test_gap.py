"""The gap statistic: its definition, its rule, and the tables it was made for."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import pytest

from gauger.algorithms.diagnostics.gap import Gap, gap_statistic
from gauger.algorithms.kmeans.small_tables import fits_by_count


def _gap(values: np.ndarray, references: int = 20) -> Gap:
    columns = np.ascontiguousarray(values.T)
    fits = fits_by_count(columns, range(1, 7), np.random.default_rng(0), starts=4)
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


@pytest.mark.slow
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


def test_the_rule_looks_at_the_error_of_the_next_count() -> None:
    gaps = {1: 0.2, 2: 0.5, 3: 0.6}
    assert Gap(gaps, {1: 0.4, 2: 0.2, 3: 0.0}).first_within_error() is None
    assert Gap(gaps, {1: 0.0, 2: 0.2, 3: 0.1}).first_within_error() == 2
    assert Gap(gaps, {1: 0.0, 2: 0.3, 3: 0.0}).first_within_error() == 1
    assert Gap({2: 0.5, 3: 0.5}, {2: 0.0, 3: 0.0}).first_within_error() == 2


@dataclass(frozen=True)
class _Fit:
    wcss: float


@pytest.mark.parametrize("references", [2, 5])
def test_gap_and_error_are_worked_by_hand(references: int) -> None:
    """The error is the spread of the reference's logarithms times sqrt(1 + 1 / references)."""
    drawn: list[dict[int, float]] = []
    boxes: list[np.ndarray] = []

    def fitter(columns: np.ndarray, counts: Iterable[int], rng: np.random.Generator) -> dict[int, _Fit]:
        boxes.append(columns)
        drawn.append({count: float(np.exp(rng.normal())) for count in counts})
        return {count: _Fit(wcss) for count, wcss in drawn[-1].items()}

    heard: list[int] = []
    values = np.array([[0.0, 0.0], [4.0, 0.0], [0.0, 1.0], [4.0, 1.0]])
    own = {1: 9.0, 3: 2.0}
    found = gap_statistic(values, own, references=references, seed=(5,), fitter=fitter, advance=heard.append)
    for count, wcss in own.items():
        logs = np.log([row[count] for row in drawn])
        assert found.gap[count] == pytest.approx(logs.mean() - np.log(wcss))
        expected = np.sqrt(np.mean((logs - logs.mean()) ** 2)) * np.sqrt(1.0 + 1.0 / references)
        assert found.error[count] == pytest.approx(expected)
    assert heard == [1] * references
    assert {box.shape for box in boxes} == {(2, 4)}
    assert all((np.ptp(box, axis=1) <= [4.0, 1.0]).all() and np.abs(box).max() <= 2.0 for box in boxes)


def test_it_finds_planted_groups_and_none_in_an_even_box() -> None:
    rng = np.random.default_rng(2)
    groups = np.repeat([[0.0, 0.0], [9.0, 0.0], [0.0, 9.0]], 60, axis=0) + rng.normal(size=(180, 2))
    assert _gap(groups).first_within_error() == 3
    assert _gap(rng.uniform(size=(300, 2))).first_within_error() == 1


def test_a_count_without_spread_has_no_gap() -> None:
    gap = gap_statistic(np.array([[0.0], [0.0], [1.0], [1.0]]), {1: 1.0, 2: 0.0}, references=3, seed=(0,))
    assert np.isnan(gap.gap[2])
    assert np.isnan(gap.error[2])
