"""Levels with numbers in their names stand in the order of those; others have no order to find."""

import random

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gauger.columns import levels_in_order
from tests.examples import examples

BANDS = [
    ["under 18", "18-24", "25-34", "35-64", "65+"],
    ["<25", "25 to 34", "35 to 44", ">44"],
    ["under 15K", "15-24K", "25-49K", "50-99K", "100K+"],
    ["$0 - $9,999", "$10,000 - $49,999", "$50,000 - $199,999", "$200,000 or more"],
    ["up to 500k", "500k - 1M", "1M - 2.5M", "more than 2.5M"],
    ["1", "2", "3", "4", "5+"],
    ["1 room", "2 rooms", "10 rooms", "unknown"],
]


@pytest.mark.parametrize("levels", BANDS, ids=lambda levels: levels[0])
@examples(10)
@given(seed=st.integers(0, 10_000))
def test_bands_stand_in_their_order_however_rows_come(levels: list[str], seed: int) -> None:
    rows = levels * 3
    random.Random(seed).shuffle(rows)
    assert levels_in_order(pd.Series([*rows, None])) == levels


@pytest.mark.parametrize(
    "levels", [["north", "south", "west"], ["18-24", "25-34"], ["a1", "b1", "c1"], ["1", "x", "y", "2"]]
)
def test_other_levels_have_no_order(levels: list[str]) -> None:
    assert levels_in_order(pd.Series(levels)) is None


def test_a_categorical_says_its_order_itself() -> None:
    column = pd.Series(pd.Categorical(["b", "a"], categories=["c", "b", "a"], ordered=True))
    assert levels_in_order(column) == ["c", "b", "a"]
    assert levels_in_order(pd.Series(pd.Categorical(["b", "a"]))) is None
    assert levels_in_order(pd.Series([3, 1, 2])) is None
