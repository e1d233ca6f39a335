"""Correlation between columns against its definition, and the order of likeness."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from gauger.algorithms.statistics.correlation import correlation_matrix, correlation_order


def _by_definition(one: np.ndarray, other: np.ndarray) -> float:
    both = ~np.isnan(one) & ~np.isnan(other)
    x, y = one[both] - one[both].mean(), other[both] - other[both].mean()
    return float((x * y).sum() / np.sqrt((x**2).sum() * (y**2).sum()))


@given(
    arrays(np.int64, st.tuples(st.integers(3, 40), st.integers(1, 5)), elements=st.integers(-50, 50)),
    st.integers(0, 3),
    st.randoms(use_true_random=False),
)
def test_each_pair_follows_the_definition_over_the_rows_it_shares(whole: np.ndarray, gaps: int, random) -> None:
    values = whole.astype(float)
    for _ in range(gaps):
        values[random.randrange(len(values)), random.randrange(values.shape[1])] = np.nan
    r = correlation_matrix(values)
    for i, j in np.ndindex(r.shape):
        both = ~np.isnan(values[:, i]) & ~np.isnan(values[:, j])
        if both.sum() < 2 or np.ptp(values[both, i]) == 0 or np.ptp(values[both, j]) == 0:
            assert np.isnan(r[i, j])
        else:
            assert r[i, j] == pytest.approx(_by_definition(values[:, i], values[:, j]), abs=1e-9)


def test_a_published_figure_comes_out() -> None:
    # Anscombe (1973), The American Statistician 27(1), 17-21: the first data set, r = 0.816.
    x = [10, 8, 13, 9, 11, 14, 6, 4, 12, 7, 5]
    y = [8.04, 6.95, 7.58, 8.81, 8.33, 9.96, 7.24, 4.26, 10.84, 4.82, 5.68]
    assert correlation_matrix(np.column_stack([x, y]))[0, 1] == pytest.approx(0.816, abs=5e-4)


def test_blocks_of_rows_add_up() -> None:
    values = np.random.default_rng(0).normal(size=(150_000, 3)) + 1e6
    expected = np.corrcoef(values, rowvar=False)
    np.testing.assert_allclose(correlation_matrix(values), expected, atol=1e-9)


def test_what_moves_together_comes_side_by_side() -> None:
    rng = np.random.default_rng(0)
    one, other = rng.normal(size=(2, 500))
    noise = rng.normal(size=(4, 500)) * 0.1
    values = np.column_stack([one + noise[0], other + noise[1], -one + noise[2], other + noise[3]])
    order = correlation_order(correlation_matrix(values))
    assert {frozenset(order[:2]), frozenset(order[2:])} == {frozenset({0, 2}), frozenset({1, 3})}
    assert correlation_order(np.ones((1, 1))) == [0]


@pytest.mark.parametrize("rows", [100, 3_000, 70_000])
def test_a_column_that_is_constant_where_the_other_is_known_has_no_correlation(rows: int) -> None:
    for seed in range(40 if rows < 10_000 else 4):
        values = np.random.default_rng(seed).normal(size=(2 * rows, 2))
        values[:rows, 0], values[rows:, 1] = values[0, 0], np.nan
        assert np.isnan(correlation_matrix(values)[0, 1])
    values[:rows, 0] += 1e-4 * values[:rows, 1]
    assert correlation_matrix(values)[0, 1] == pytest.approx(1.0, abs=1e-3)
