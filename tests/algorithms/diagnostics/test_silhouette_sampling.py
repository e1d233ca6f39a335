"""Silhouettes of a sample: who is drawn, and the standard error, against samples drawn again and one customer moved."""

import numpy as np
import pytest

from gauger.algorithms.diagnostics import (
    sample_by_segment,
    sampled_silhouettes,
    silhouette_values,
    silhouettes_in_sample,
)
from gauger.algorithms.diagnostics.silhouette_sampling import _slopes
from gauger.algorithms.diagnostics.silhouettes import distance_sums, silhouettes_from_sums


def _segments(n: int, shift: float, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Three overlapping segments of unequal size, as columns (2, n), with codes from 1."""
    rng = np.random.default_rng(seed)
    codes = rng.choice([1, 2, 3], n, p=[0.6, 0.3, 0.1]).astype(np.int32)
    values = rng.normal(size=(2, n)) + np.array([[0.0, shift, 2.0 * shift], [0.0, shift, 0.0]])[:, codes - 1]
    return values, codes


@pytest.mark.parametrize("shift", [0.5, 2.0])
def test_the_error_is_what_means_of_samples_differ_by(shift: float) -> None:
    """150 samples: their spread is known to 6 %, so that the error lies within 15 % of it."""
    columns, codes = _segments(2_500, shift, seed=1)
    sizes = np.bincount(codes)[1:]
    exact = silhouette_values(columns, codes).mean()
    means, errors = [], []
    for seed in range(150):
        chosen = np.random.default_rng(seed).permutation(sample_by_segment(codes, 100, seed, size=600))
        _, mean, error = sampled_silhouettes(np.ascontiguousarray(columns[:, chosen]), codes[chosen], sizes)
        means.append(mean)
        errors.append(error)
    assert np.mean(errors) == pytest.approx(np.std(means), rel=0.15)
    assert np.mean(np.abs(np.array(means) - exact) > 1.96 * np.array(errors)) <= 0.11


def test_the_silhouette_changes_with_a_mean_distance_as_the_slopes_say() -> None:
    columns, codes = _segments(40, 1.0, seed=2)
    own, sizes = codes - 1, np.bincount(codes - 1)
    sums = distance_sums(columns, own)
    slopes = _slopes(sums, own, sizes)
    for segment in range(3):
        nudged = sums.copy()
        nudged[:, segment] += 1e-6
        moved = silhouettes_from_sums(nudged, own, sizes) - silhouettes_from_sums(sums, own, sizes)
        counted = np.where(own == segment, sizes[segment] - 1, sizes[segment])
        np.testing.assert_allclose(moved / 1e-6, slopes[:, segment] / counted, atol=1e-6)


def test_everyone_drawn_leaves_no_error_and_the_mean_is_that_of_all() -> None:
    columns, codes = _segments(60, 1.0, seed=3)
    values, mean, error = sampled_silhouettes(columns, codes, np.bincount(codes)[1:])
    np.testing.assert_array_equal(values, silhouette_values(columns, codes))
    assert (mean, error) == (pytest.approx(values.mean()), 0.0)


def test_the_mean_of_a_sample_weighs_segments_by_their_sizes() -> None:
    columns, codes = _segments(60, 1.0, seed=4)
    values, mean, error = sampled_silhouettes(columns, codes, np.array([1_000, 2_000, 5_000]))
    by_segment = [values[codes == number].mean() for number in (1, 2, 3)]
    assert mean == pytest.approx(np.average(by_segment, weights=[1, 2, 5]))
    assert error > 0.0


def test_segments_drawn_in_full_add_no_error() -> None:
    """Worked by hand: nobody's distances matter, so that the error is that of the drawn segment's silhouettes."""
    columns, codes = _segments(200, 1.0, seed=5)
    own, sizes = codes - 1, np.bincount(codes)[1:]
    drawn = sizes.copy()
    many = sizes * np.array([3, 1, 1])
    values, _, error = silhouettes_in_sample(
        distance_sums(columns, own), own, many, lambda looked, weights: weights.sum(axis=0)[own[looked]] * 0.0
    )
    first = values[own == 0]
    share = many[0] / many.sum()
    assert error == pytest.approx(share * first.std(ddof=1) / np.sqrt(drawn[0]) * np.sqrt(1 - 1 / 3))


def test_copies_and_lonely_points_have_an_error_too() -> None:
    columns = np.array([[0.0, 0.0, 0.0, 5.0, 9.0]])
    _, mean, error = sampled_silhouettes(columns, np.array([1, 1, 1, 2, 3]), np.array([30, 20, 10]))
    assert np.isfinite(mean)
    assert np.isfinite(error)


def test_up_to_the_limit_everyone_is_measured_and_beyond_it_fifty_of_each_segment_at_least() -> None:
    codes = np.repeat([0, 1, 2], [5, 60, 40])
    assert sample_by_segment(codes, 100, 0, size=2).tolist() == list(range(5, 105))
    sampled = sample_by_segment(codes, 99, 0, size=2)
    assert np.bincount(codes[sampled]).tolist() == [0, 50, 40]
    assert np.bincount(codes[sample_by_segment(codes, 99, 0, size=95)]).tolist() == [0, 57, 40]
