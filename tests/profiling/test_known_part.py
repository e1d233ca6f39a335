"""Columns that are known for a biased part of the customers."""

import numpy as np
import pandas as pd
import pytest
from scipy.stats import chi2_contingency

import gauger
from gauger.profiling.known_part import about_known


def _customers(known: list[float], size: int = 100, seed: int = 0) -> tuple[gauger.Segmentation, pd.DataFrame]:
    """Segments of equal size with an age that is known for the first so many of each."""
    segments = len(known)
    where = np.repeat(np.arange(segments), size)
    place = np.tile(np.arange(size), segments)
    rng = np.random.default_rng(seed)
    table = pd.DataFrame({"who": range(segments * size), "visits": 100.0 * where + rng.random(segments * size)})
    table["age"] = np.where(place < np.array(known)[where] * size, rng.integers(18, 80, len(table)), np.nan)
    table["area"] = np.where(np.isnan(table["age"]), None, np.where(place % 2, "north", "south"))
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits"]), segments, starts=3)
    return seg, table


def _said(seg: gauger.Segmentation, table: pd.DataFrame) -> list[gauger.Remark]:
    return [one for one in gauger.profile(seg, table, resamples=0).remarks if one.code == "known-for-a-part"]


def test_a_column_known_in_one_segment_only_is_named_with_its_shares() -> None:
    (said,) = _said(*_customers([0.57, 0.3, 0.0]))
    assert set(said.features) == {"age", "area"}
    assert "age is known for 57% of segment" in said.text
    assert "and 0% of segment" in said.text
    assert said.text.endswith("comparisons describe those for whom it is known, who may differ from the others.")


@pytest.mark.parametrize("known", [[0.5, 0.5, 0.5], [1.0, 1.0, 1.0], [0.55, 0.5, 0.46], [0.0, 0.0, 0.0]])
def test_nothing_is_said_where_shares_are_alike_or_the_column_is_whole(known: list[float]) -> None:
    assert _said(*_customers(known)) == []


def test_the_test_is_chi_squared_corrected_for_the_number_of_columns() -> None:
    customers = np.array([40, 40])
    known = {"a": np.array([30, 20]), "b": np.array([20, 20]), "c": np.array([20, 21])}
    p = chi2_contingency(np.array([known["a"], customers - known["a"]]), correction=False).pvalue
    assert p < 0.05 < 3 * p
    assert list(about_known(known, customers, (1, 2))) == []
    (said,) = about_known({"a": known["a"]}, customers, (1, 2))
    assert said.features == ("a",)


def test_a_small_difference_among_many_customers_is_not_worth_a_remark() -> None:
    customers = np.array([100_000, 100_000])
    assert list(about_known({"a": np.array([50_000, 45_000])}, customers, (1, 2))) == []
    assert len(list(about_known({"a": np.array([50_000, 39_000])}, customers, (1, 2)))) == 1


def test_an_empty_segment_counts_for_nothing_and_more_than_four_columns_are_counted() -> None:
    customers = np.array([100, 0, 100])
    known = {f"c{number}": np.array([90, 0, 10]) for number in range(6)}
    (said,) = about_known(known, customers, (1, 2, 3))
    assert "c3 is known for 90% of segment 1 and 10% of segment 3, and 2 more columns likewise" in said.text
    assert len(said.features) == 6
