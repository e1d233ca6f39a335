"""The reference of one cloud: the same correlations, one peak a feature."""

import numpy as np
import pytest

from gauger.algorithms.diagnostics import smooth_table
from gauger.algorithms.diagnostics.one_cloud import OneCloud, _Whole, single_peaked
from gauger.algorithms.statistics.dip import scaled_dip


def test_a_distribution_with_one_peak_is_kept() -> None:
    values = np.random.default_rng(0).gamma(3.0, size=4_000)
    edges, shares = single_peaked(values)
    for quantile in (0.1, 0.5, 0.9):
        assert np.interp(quantile, shares, edges) == pytest.approx(np.quantile(values, quantile), rel=0.08)


def test_heights_rise_to_one_peak_and_fall() -> None:
    rng = np.random.default_rng(1)
    values = np.concatenate([rng.normal(size=700), rng.normal(size=500) + 7.0])
    edges, shares = single_peaked(values)
    heights = np.diff(shares) / np.diff(edges)
    peak = int(heights.argmax())
    assert (np.diff(heights[: peak + 1]) >= -1e-12).all()
    assert (np.diff(heights[peak:]) <= 1e-12).all()
    assert (edges[0], edges[-1]) == (values.min(), values.max())
    assert shares[-1] == pytest.approx(1.0)


def test_drawn_clouds_have_the_correlations_and_no_second_peak() -> None:
    rng = np.random.default_rng(2)
    values = rng.normal(size=(1_500, 2)) @ np.array([[1.0, 0.8], [0.0, 0.6]])
    values[:700] += 8.0
    table = smooth_table(values, np.empty((1_500, 0), dtype=np.intp), 1, rng)
    drawn, tied, _ = OneCloud(table, rng).draw(rng)
    np.testing.assert_array_equal(drawn, tied)
    assert drawn.shape == values.shape
    ranks = [np.corrcoef(np.argsort(np.argsort(table, axis=0), axis=0).T)[0, 1] for table in (values, drawn)]
    assert ranks[1] == pytest.approx(ranks[0], abs=0.06)
    assert scaled_dip(np.sort(values[:, 0])) > 2.0
    assert scaled_dip(np.sort(drawn[:, 0])) < 0.7


def test_drawn_flags_zeros_and_levels_are_as_frequent_as_they_were() -> None:
    rng = np.random.default_rng(3)
    measure = rng.normal(size=2_000)
    flag = (rng.random(2_000) < 0.3).astype(float)
    share = np.where(rng.random(2_000) < 0.5, 0.0, rng.beta(2.0, 3.0, 2_000))
    levels = np.clip(np.round(measure + 1.5), 0, 3).astype(np.intp)[:, None]
    table = smooth_table(np.column_stack([measure, flag, share]), levels, 1, rng)
    _, tied, drawn = OneCloud(table, rng).draw(rng)
    assert set(np.unique(tied[:, 1])) == {0.0, 1.0}
    assert tied[:, 1].mean() == pytest.approx(flag.mean(), abs=0.04)
    assert (tied[:, 2] == 0.0).mean() == pytest.approx(0.5, abs=0.06)
    for level in range(4):
        assert (drawn == level).mean() == pytest.approx((levels == level).mean(), abs=0.04)
    assert np.corrcoef(tied[:, 0], drawn[:, 0])[0, 1] > 0.7


def test_drawn_shares_of_a_whole_keep_their_sum_and_others_stay_free() -> None:
    rng = np.random.default_rng(4)
    shares = rng.dirichlet([2.0, 3.0, 5.0], 1_000)
    values = np.column_stack([shares * [3.0, 1.0, 7.0], rng.normal(size=1_000)])
    table = smooth_table(values, np.empty((1_000, 0), dtype=np.intp), 1, rng)
    drawn, _, _ = OneCloud(table, rng).draw(rng)
    np.testing.assert_allclose((drawn[:, :3] / [3.0, 1.0, 7.0]).sum(axis=1), 1.0)
    assert drawn[:, :3].min() >= 0.0
    np.testing.assert_allclose(drawn[:, :3].mean(axis=0), values[:, :3].mean(axis=0), rtol=0.15)
    assert drawn[:, 3].std() == pytest.approx(values[:, 3].std(), rel=0.1)


@pytest.mark.parametrize("seed", range(8))
def test_columns_that_sum_to_a_whole_are_found_with_positive_weights(seed: int) -> None:
    rng = np.random.default_rng(seed)
    shares = rng.dirichlet([2.0, 3.0, 5.0], 300) + np.array([0.5, 0.0, 0.0])
    columns = np.column_stack([rng.normal(size=300), shares * [3.0, 1.0, 7.0]])
    whole = _Whole.of(columns)
    assert whole is not None
    assert whole.places.tolist() == [1, 2, 3]
    assert whole.weights * [3.0, 1.0, 7.0] == pytest.approx(np.full(3, whole.weights[1]))
    assert whole.low == pytest.approx(columns[:, 1:].min(axis=0))
    assert whole.total == pytest.approx(((columns[:, 1:] - whole.low) @ whole.weights).mean())
    assert _Whole.of(columns[:, [0, 1, 2]]) is None
    assert _Whole.of(np.column_stack([columns[:, 0], rng.normal(size=300), -columns[:, 0]])) is None
