"""What one sort tells of a column, against plain counting."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gauger.algorithms.statistics import skewness
from gauger.columns.facts import ColumnFacts

numbers = st.lists(
    st.one_of(st.integers(-3, 3).map(float), st.just(np.nan), st.floats(-1e6, 1e6)), min_size=1, max_size=30
)


@given(numbers, st.floats(0, 1), st.integers(-3, 3))
def test_facts_are_those_of_plain_counting(values: list[float], share: float, fill: int) -> None:
    facts = ColumnFacts.of(np.array(values))
    present = [value for value in values if value == value]
    assert facts.missing == len(values) - len(present)
    if not present:
        return
    assert (facts.low, facts.high, facts.distinct) == (min(present), max(present), len(set(present)))
    assert facts.quantile(share) == pytest.approx(float(np.quantile(present, share)), rel=1e-9, abs=1e-9)
    most = max(set(present), key=present.count)
    if present.count(most) > len(present) / 2:
        assert facts.middle == (most, present.count(most))
    filled = facts.with_filled(float(fill))
    assert filled.ordered.tolist() == sorted(fill if value != value else value for value in values)


def test_skew_of_a_small_column_worked_by_hand() -> None:
    # Deviations -2, -1, 3 from the mean 3: m2 = 14/3, m3 = 18/3, times sqrt(3 * 2) / 1.
    assert skewness(np.array([1.0, 2.0, 6.0])) == pytest.approx(6.0 / (14 / 3) ** 1.5 * np.sqrt(6.0))
    assert np.isnan(skewness(np.array([5.0, 5.0, 5.0])))
