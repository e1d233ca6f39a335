"""The reference of one cloud: the same correlations, one peak a feature."""

import numpy as np
import pytest

from gauger.algorithms.diagnostics.one_cloud import OneCloud, single_peaked
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
    drawn = OneCloud(values).draw(rng)
    assert drawn.shape == values.shape
    np.testing.assert_allclose(drawn.mean(axis=0), 0.0, atol=1e-9)
    np.testing.assert_allclose(drawn.std(axis=0), 1.0)
    ranks = [np.corrcoef(np.argsort(np.argsort(table, axis=0), axis=0).T)[0, 1] for table in (values, drawn)]
    assert ranks[1] == pytest.approx(ranks[0], abs=0.06)
    assert scaled_dip(np.sort(values[:, 0])) > 2.0
    assert scaled_dip(np.sort(drawn[:, 0])) < 0.7
