"""Whole numbers too long for floating point are refused; numbers too small to square are worked with all the same."""

from pathlib import Path

import duckdb
import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import ColumnValuesError
from gauger.features import beyond_exactness


def _table(values: object) -> pd.DataFrame:
    return pd.DataFrame({"who": range(60), "visits": np.arange(60.0) % 7, "odd": values})


LONG = (1 << 60) + np.arange(60) // 2 * 3_000
TINY = 2.0**-670
"""A power of two near 2e-202, so that figures in this unit have the very digits of those in whole ones."""


def _places(table: pd.DataFrame, folder: Path) -> dict[str, object]:
    table.to_parquet(folder / "t.parquet")
    table.to_csv(folder / "t.csv", index=False)
    with duckdb.connect(str(folder / "t.duckdb")) as database:
        database.register("given", table)
        database.execute("CREATE TABLE t AS SELECT * FROM given")
    return {
        "memory": table,
        "files": gauger.open_table(str(folder / "t.parquet")),
        "text": gauger.open_table(str(folder / "t.csv")),
        "database": gauger.open_table(f"duckdb:///{folder}/t.duckdb", table="t"),
    }


@pytest.mark.parametrize("place", ["memory", "files", "text", "database"])
def test_such_a_feature_is_refused_in_every_place(place: str, tmp_path: Path) -> None:
    table = _places(_table(LONG), tmp_path)[place]
    with pytest.raises(ColumnValuesError, match="whole numbers beyond 9,007,199,254,740,992"):
        gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits", "odd"]), 2, starts=1)


def test_a_profile_leaves_such_a_measure_aside_and_says_so() -> None:
    seg = gauger.segment_by_kmeans(gauger.prepare(_table(LONG), key="who", features=["visits"]), 2, starts=1)
    found = gauger.profile(seg, _table(LONG), resamples=0)
    assert "odd" not in found.means
    assert [one.features for one in found.remarks if one.code == "measure-left-aside"] == [("odd",)]


@pytest.mark.parametrize(("low", "high"), [(0.0, 2.0**53), (-(2.0**53), 0.0), (0.0, 0.0)])
def test_whole_numbers_up_to_the_bound_are_fine(low: float, high: float) -> None:
    assert beyond_exactness(low, high) is None


@pytest.mark.parametrize(("low", "high"), [(0.0, 2.0**53 + 2.0), (-(2.0**53) - 2.0, 0.0)])
def test_whole_numbers_beyond_it_are_not(low: float, high: float) -> None:
    assert str(beyond_exactness(low, high)).startswith("holds whole numbers beyond")


def test_numbers_too_small_to_square_are_profiled_like_those_in_larger_units() -> None:
    whole = _table(np.arange(60.0) // 2 + np.arange(60) % 7 * 3.0).assign(alike=lambda table: table["odd"] + 1.0)
    small = whole.assign(odd=whole["odd"] * TINY, alike=whole["alike"] * TINY)
    large, own = (
        gauger.profile(
            gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits", "odd"]), 2, starts=1), table
        )
        for table in (whole, small)
    )
    pd.testing.assert_frame_equal(own.drivers, large.drivers)
    pd.testing.assert_frame_equal(own.scores, large.scores)
    pd.testing.assert_series_equal(own.means["odd"] / TINY, large.means["odd"])
    pd.testing.assert_series_equal(own.medians["odd"] / TINY, large.medians["odd"])
    assert own.drivers.loc["odd", "eta_squared"] > 0.1
    assert own.drivers.loc["alike", "repeats"] == "odd"
