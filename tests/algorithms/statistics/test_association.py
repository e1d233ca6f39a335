"""Cramér's V, its interval, and what one would guess: worked by hand and on planted tables."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gauger.algorithms.statistics import cramers_v, cramers_v_interval, guessed_right

TABLES = st.integers(2, 4).flatmap(
    lambda columns: st.lists(st.lists(st.integers(0, 40), min_size=columns, max_size=columns), min_size=2, max_size=4)
)


def test_v_of_a_table_worked_by_hand() -> None:
    """Rows 30 and 20 of 50, columns 25 and 25: expected 15, 15, 10, 10; chi-square 25/15 x 2 + 25/10 x 2 = 8.33."""
    table = np.array([[20, 10], [5, 15]])
    assert float(cramers_v(table)) == pytest.approx(np.sqrt((25 / 15 * 2 + 25 / 10 * 2) / 50))
    assert guessed_right(table) == (0.7, 0.5)


def test_v_is_1_when_the_row_tells_the_column_and_0_when_it_says_nothing() -> None:
    assert float(cramers_v(np.diag([5, 9, 2]))) == pytest.approx(1.0)
    assert float(cramers_v(np.outer([1, 2, 3], [4, 2]))) == pytest.approx(0.0, abs=1e-7)
    assert np.isnan(cramers_v(np.array([[3, 4], [0, 0]])))


@given(TABLES)
def test_v_agrees_with_a_plain_loop_and_with_its_turned_table(rows: list[list[int]]) -> None:
    table = np.array(rows)
    used = min((table.sum(axis=1) > 0).sum(), (table.sum(axis=0) > 0).sum())
    found = float(cramers_v(table)) if table.sum() else np.nan
    if used < 2:
        assert np.isnan(found)
        return
    n, chi_square = table.sum(), 0.0
    for i in range(len(table)):
        for j in range(table.shape[1]):
            expected = table[i].sum() * table[:, j].sum() / n
            chi_square += (table[i, j] - expected) ** 2 / expected if expected else 0.0
    assert found == pytest.approx(np.sqrt(chi_square / (n * (used - 1))))
    assert float(cramers_v(table.T)) == pytest.approx(found)


def test_the_interval_holds_what_was_planted_and_chance_is_told_where_there_is_nothing() -> None:
    rng = np.random.default_rng(2)
    shares = np.array([[0.3, 0.1, 0.1], [0.1, 0.1, 0.3]])
    true = float(cramers_v((shares * 1e9).astype(int)))
    inside = 0
    for _ in range(60):
        table = rng.multinomial(400, shares.ravel()).reshape(2, 3)
        low, high, chance = cramers_v_interval(table, rng)
        inside += low <= true <= high
        assert chance < 0.15 < low
    assert inside >= 52
    nothing = rng.multinomial(400, np.full(6, 1 / 6)).reshape(2, 3)
    low, high, chance = cramers_v_interval(nothing, rng)
    assert low < 2.5 * chance
