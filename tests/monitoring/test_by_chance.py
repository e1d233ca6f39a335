"""Tests of differences between then and now, against scipy's and figures worked by hand."""

import numpy as np
import pytest
from scipy.stats import binomtest, chi2_contingency, norm

from gauger.monitoring.by_chance import counts_differ, means_differ, rate_rose


def test_counts_differ_by_chi_squared_and_empty_bins_count_for_nothing() -> None:
    then, now = np.array([40.0, 30.0, 30.0, 0.0]), np.array([20.0, 40.0, 60.0, 0.0])
    p = chi2_contingency(np.array([then[:3], now[:3]]), correction=False).pvalue
    assert counts_differ(then, now, p * 1.001)
    assert not counts_differ(then, now, p * 0.999)
    assert not counts_differ(then[:1], now[:1], 0.99)
    assert not counts_differ(then, now * 0.0, 0.99)


def test_means_differ_on_either_side_of_the_level() -> None:
    p = 2.0 * norm.sf(0.5 / np.hypot(0.3, 0.4) * 2.0)
    for gap in (1.0, -1.0):
        assert means_differ(gap, (0.3, 0.4), p * 1.001)
        assert not means_differ(gap, (0.3, 0.4), p * 0.999)
    assert means_differ(0.1, (0.0, 0.0), 0.01)
    assert not means_differ(0.0, (0.0, 0.0), 0.01)


@pytest.mark.parametrize(("few", "many"), [(3, 12), (0, 4), (10, 11)])
def test_a_rate_rose_by_the_binomial_test_of_all_who_count(few: int, many: int) -> None:
    p = binomtest(many, few + many, 300 / 500, alternative="greater").pvalue
    assert rate_rose(few, 200, many, 300, p * 1.001)
    assert not rate_rose(few, 200, many, 300, p * 0.999)
    assert not rate_rose(few, 200, 0, 300, 0.99)
