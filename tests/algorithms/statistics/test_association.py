"""Cramér's V, its interval, and what one would guess: worked by hand, from the literature and on planted tables."""

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from scipy.stats import ncx2

from gauger.algorithms.statistics import chi_square, cramers_v, cramers_v_interval, guessed_right

TABLES = st.integers(2, 4).flatmap(
    lambda columns: st.lists(st.lists(st.integers(0, 40), min_size=columns, max_size=columns), min_size=2, max_size=4)
)


def test_v_of_a_table_worked_by_hand() -> None:
    """Rows 30 and 20 of 50, columns 25 and 25: expected 15, 15, 10, 10; chi-squared 25/15 x 2 + 25/10 x 2 = 8.33.

    Less 1/49 of bias, over the 1 - 1/49 that two rows and columns count for.
    """
    table = np.array([[20, 10], [5, 15]])
    assert chi_square(table) == (pytest.approx(25 / 15 * 2 + 25 / 10 * 2), 1)
    assert cramers_v(table) == pytest.approx(np.sqrt(((25 / 15 * 2 + 25 / 10 * 2) / 50 - 1 / 49) / (1 - 1 / 49)))
    assert guessed_right(table) == (0.7, 0.5)


def test_v_is_1_when_the_row_determines_the_column_and_0_when_it_says_nothing() -> None:
    assert cramers_v(np.diag([5, 9, 2])) == pytest.approx(1.0)
    assert cramers_v(np.outer([1, 2, 3], [4, 2])) == 0.0
    assert cramers_v_interval(np.diag([5, 9, 2]))[1] == 1.0


@pytest.mark.parametrize("table", [[[3, 4], [0, 0]], [[3, 0], [4, 0]], [[1, 0], [0, 1]], [[0, 0], [0, 0]]])
def test_there_is_no_v_of_one_row_one_column_or_hardly_anyone(table: list[list[int]]) -> None:
    assert np.isnan(cramers_v(np.array(table)))
    assert np.isnan(cramers_v_interval(np.array(table))).all()


@given(TABLES)
@example([[1, 0, 0], [0, 1, 0], [0, 0, 1]])
def test_v_agrees_with_a_plain_loop_with_its_turned_table_and_lies_in_its_interval(rows: list[list[int]]) -> None:
    table = np.array(rows)
    n, statistic, used = int(table.sum()), 0.0, ((table.sum(axis=1) > 0).sum(), (table.sum(axis=0) > 0).sum())
    for i in range(len(table)):
        for j in range(table.shape[1]):
            expected = table[i].sum() * table[:, j].sum() / n if n else 0.0
            statistic += (table[i, j] - expected) ** 2 / expected if expected else 0.0
    least = min(used)
    largest = least - 1 - (least - 1) ** 2 / (n - 1) if n > 1 else 0.0
    found = cramers_v(table)
    if largest <= 1e-9:
        assert np.isnan(found)
        return
    square = max(statistic / n - (used[0] - 1) * (used[1] - 1) / (n - 1), 0.0)
    assert found == pytest.approx(min(np.sqrt(square / largest), 1.0), abs=1e-6)
    assert cramers_v(table.T) == pytest.approx(found, abs=1e-6)
    low, high = cramers_v_interval(table)
    assert 0.0 <= low <= found <= high <= 1.0
    assert cramers_v_interval(table.T) == pytest.approx((low, high), abs=1e-6)


@given(TABLES)
def test_the_interval_starts_at_0_exactly_where_the_test_finds_no_association(rows: list[list[int]]) -> None:
    table = np.array(rows)
    statistic, free = chi_square(table)
    low, _ = cramers_v_interval(table)
    if free and not np.isnan(low) and cramers_v(table) > 0.0:
        p = float(ncx2.sf(statistic, free, 0.0))
        assert p == pytest.approx(0.05, abs=1e-4) or (low > 0.0) == (p < 0.05)


def test_the_ends_of_a_weak_association_are_those_of_the_noncentral_chi_squared() -> None:
    """For V 0.1 the two corrections are small: noncentralities from the distribution itself, to 3 %."""
    table = np.array([[2750, 2250], [2250, 2750]])
    statistic, free = chi_square(table)
    low, high = (end**2 * 10_000 * (1 - 1 / 9_999) for end in cramers_v_interval(table))
    assert ncx2.cdf(statistic, free, low) == pytest.approx(0.975, abs=2e-3)
    assert ncx2.cdf(statistic, free, high) == pytest.approx(0.025, abs=2e-3)


def test_a_strong_association_has_a_narrower_interval_than_the_noncentral_chi_squared_alone() -> None:
    """A correlation of 0.6 of two even flags: by Fisher's z of n = 1,000 the interval is 0.558 to 0.639."""
    table = np.array([[400, 100], [100, 400]])
    low, high = cramers_v_interval(table)
    assert (low, high) == (pytest.approx(0.55, abs=0.006), pytest.approx(0.65, abs=0.006))
    assert high - low < 2 * 1.96 / np.sqrt(1000) * 0.85


@pytest.mark.parametrize(
    ("shape", "customers", "v"), [((2, 2), 200, 0.0), ((5, 10), 800, 0.10), ((4, 6), 200, 0.27), ((5, 12), 5000, 0.07)]
)
def test_the_interval_covers_what_was_planted(shape: tuple[int, int], customers: int, v: float) -> None:
    """95 % of 300 tables, less or more by 3 standard deviations; the bounds of each side are half of that."""
    rng = np.random.default_rng(7)
    least, m = shape
    lift = np.zeros(shape)
    lift[:, :least] = np.eye(least) - 1.0 / least
    shares = (1.0 + v * lift / np.sqrt((lift**2).mean() / (least - 1))) / (least * m)
    intervals = [cramers_v_interval(rng.multinomial(customers, shares.ravel()).reshape(shape)) for _ in range(300)]
    above = np.mean([low > v for low, _ in intervals])
    below = np.mean([high < v for _, high in intervals])
    assert above + below <= 0.09
    assert max(above, below) > 0.0
    if v == 0.0:
        assert below == 0.0
        assert np.mean([low == 0.0 for low, _ in intervals]) >= 0.91
