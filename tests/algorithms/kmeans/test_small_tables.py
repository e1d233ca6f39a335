"""Fits for many counts of a small table: against brute force and against the full search."""

import itertools

import numpy as np
import pytest

from gauger.algorithms.kmeans.small_tables import distinct_up_to, fits_by_count, small_fit, split_centres


def _columns(seed: int, n: int, d: int) -> np.ndarray:
    return np.ascontiguousarray(np.random.default_rng(seed).normal(size=(d, n)))


def test_a_line_of_customers_is_cut_at_the_best_places() -> None:
    """In one dimension segments are runs, so every split can be tried."""
    for seed in range(10):
        columns = np.sort(_columns(seed, 12, 1), axis=1)
        fits = fits_by_count(columns, range(1, 5), np.random.default_rng(0), starts=8)
        for count, fit in fits.items():
            best = min(
                sum(float(((run - run.mean()) ** 2).sum()) for run in np.split(columns[0], cuts))
                for cuts in itertools.combinations(range(1, 12), count - 1)
            )
            assert fit.wcss >= best - 1e-9
            assert fit.wcss <= best * 1.1 + 1e-9


def test_codes_centres_and_sum_of_squares_belong_together() -> None:
    columns, weights = _columns(1, 300, 3), np.random.default_rng(2).uniform(0.1, 2.0, size=300)
    fit = fits_by_count(columns, [4], np.random.default_rng(0), starts=4, weights=weights)[4]
    for segment in range(4):
        own = fit.codes == segment
        np.testing.assert_allclose(fit.centres[segment], np.average(columns[:, own], axis=1, weights=weights[own]))
    squares = ((columns.T - fit.centres[fit.codes]) ** 2).sum(axis=1)
    assert fit.wcss == pytest.approx(float(weights @ squares))


def test_given_centres_are_not_changed() -> None:
    columns, centres = _columns(3, 50, 2), np.array([[0.0, 0.0], [1.0, 1.0]])
    small_fit(columns, np.ones(50), centres)
    assert centres.tolist() == [[0.0, 0.0], [1.0, 1.0]]


def test_the_widest_segment_is_split_along_its_widest_feature() -> None:
    columns = np.array([[0.0, 1.0, 50.0, 51.0], [0.0, 0.0, -20.0, 20.0]])
    centres = np.array([[0.5, 0.0], [50.5, 0.0]])
    first, _ = split_centres(columns, np.ones(4), np.array([0, 0, 1, 1], dtype=np.int32), centres)
    assert first.tolist() == [[0.5, 0.0], [50.5, -20.0], [50.5, 20.0]]


def test_distinct_customers_are_counted_up_to_the_most_needed() -> None:
    columns = np.array([[1.0, 1.0, 2.0, 3.0, 3.0]])
    assert [distinct_up_to(columns, most) for most in (1, 2, 3, 9)] == [1, 2, 3, 3]
