"""Levels of a category by segment: their order, which are shown, and shares worked by hand."""

import numpy as np
import pandas as pd
import pytest

from gauger.profiling.level_tables import (
    MOST_LEVELS,
    OTHER_LEVELS,
    _over_represented,
    known_table,
    levels_by_group,
    levels_of_counts,
    median_dates,
    share_tables,
)

AREA = pd.Series(["n", "s", "s", None, "n", "s", "w", "s"])
CODES = np.array([1, 1, 2, 2, 0, 2, 2, 1])


def test_levels_are_counted_by_group_the_most_frequent_first() -> None:
    found = levels_by_group(AREA, CODES, 2, flag=False, steps=False)
    assert found.names == ["s", "n", "w"]
    assert found.counts.tolist() == [[0, 2, 2], [1, 1, 0], [0, 0, 1]]
    assert found.known.tolist() == [1, 3, 3, 7]
    assert not found.ordered
    shares = dict(found.rows())
    assert list(shares) == ["s", "n", "w"]
    assert shares["s"].tolist() == pytest.approx([0.0, 2 / 3, 2 / 3, 4 / 7])


def test_steps_and_a_given_order_stay_in_theirs() -> None:
    steps = pd.Series([3.0, 1.0, 3.0, 2.5, 1.0, 3.0, 3.0, 3.0])
    found = levels_by_group(steps, CODES, 2, flag=False, steps=True)
    assert (found.names, found.ordered) == (["1", "2.5", "3"], True)
    found = levels_by_group(AREA, CODES, 2, flag=False, steps=False, order=["w", "s"])
    assert (found.names, found.ordered) == (["w", "s", "n"], True)  # what the order does not name comes last
    assert found.counts.tolist() == [[0, 0, 1], [0, 2, 2], [1, 1, 0]]


@pytest.mark.parametrize(
    ("levels", "told"),
    [(["0", "1"], "1"), (["no", "Yes"], "Yes"), (["f", "t"], "t"), (["0.0", "1.0"], "1.0"), (["off", "on"], "on")],
)
def test_of_a_flag_the_yes_is_shown_or_else_the_rarer(levels: list[str], told: str) -> None:
    found = levels_of_counts(levels, np.array([[5, 5], [3, 1]]), flag=True, steps=False)
    assert [found.names[at] for at in found.told] == [told]
    assert [name for name, _ in found.rows()] == [told]


def _many(counts: np.ndarray) -> list[str]:
    names = [f"l{at:02}" for at in range(len(counts))]
    found = levels_of_counts(names, counts, flag=False, steps=False)
    return [name for name, _ in found.rows()]


def test_up_to_twelve_levels_are_all_shown() -> None:
    even = np.full((MOST_LEVELS, 3), 4)
    assert _many(even) == [f"l{at:02}" for at in range(12)]
    assert OTHER_LEVELS in _many(np.concatenate([even, [[4, 30, 4], [4, 4, 30]]]))


def test_of_more_levels_those_over_represented_in_a_segment_are_shown_three_of_each() -> None:
    """Segment 1 has five levels of its own, segment 2 one; the unassigned bring none in."""
    counts = np.full((20, 3), 10)
    counts[:5, 1] = [60, 50, 40, 30, 25]
    counts[10, 2] = 70
    counts[15, 0] = 500
    shown = set(_many(counts))
    assert {"l00", "l01", "l02", "l10", OTHER_LEVELS} <= shown
    assert not {"l03", "l04", "l15"} & shown


@pytest.mark.parametrize(("customers", "shown"), [(5, True), (4, False)])
def test_a_level_of_fewer_than_five_customers_is_not_called_over_represented(customers: int, shown: bool) -> None:
    counts = np.zeros((14, 3), dtype=np.int64)
    counts[:, 1:] = 40
    counts[3] = [0, customers, 0]
    counts[0, 2], counts[1, 1] = 90, 90
    assert ("l03" in _many(counts)) == shown


def test_surplus_is_measured_in_standard_errors() -> None:
    """A level of 40 among 1,000 that is twice as frequent in a segment counts more than one of 6 that is."""
    counts = np.full((14, 3), 100)
    counts[0], counts[1], counts[2], counts[3] = [0, 40, 0], [0, 60, 0], [0, 6, 0], [0, 50, 0]
    shown = _many(counts)
    assert {"l00", "l01", "l03"} <= set(shown)
    assert "l02" not in shown


def test_any_surplus_brings_a_level_in_and_none_does_not() -> None:
    counts = np.full((14, 3), 1_000)
    assert _over_represented(counts) == []
    counts[13, 1] = 1_005
    assert _over_represented(counts) == [*range(3), 13]


def test_shares_and_their_index_are_worked_by_hand() -> None:
    found = {"area": levels_by_group(AREA, CODES, 2, flag=False, steps=False)}
    shares, index = share_tables(found, 2)
    assert shares.loc[("area", "n")].tolist() == pytest.approx([1.0, 1 / 3, 0.0, 2 / 7])
    assert index.loc[("area", "n")].tolist() == pytest.approx([350.0, 700 / 6, 0.0, 100.0])
    assert known_table(found, 2).loc["area"].tolist() == [1, 3, 3, 7]


def test_median_days_are_those_of_each_group_and_everyone() -> None:
    written = ["2025-01-01", "2025-01-03", "2025-02-01", "2025-02-05T18:00", None]
    days = pd.DataFrame({"joined": pd.Series([pd.Timestamp(one) for one in written])})
    found = median_dates(days, np.array([1, 1, 2, 2, 2]), 2)["joined"]
    assert pd.isna(found[0])
    assert found[1] == pd.Timestamp("2025-01-02")
    assert found[2] == pd.Timestamp("2025-02-03")
    assert found[3] == pd.Timestamp("2025-01-17")
