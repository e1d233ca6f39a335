"""Numbers that floating point cannot hold or square: refused as features everywhere, and left aside in profiles."""

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
TINY = np.arange(60) * 1e-203


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
@pytest.mark.parametrize(
    ("values", "said"),
    [(LONG, "whole numbers beyond 9,007,199,254,740,992"), (TINY, "holds no number as large as 1e-150")],
)
def test_such_a_feature_is_refused_in_every_place(values: np.ndarray, said: str, place: str, tmp_path: Path) -> None:
    table = _places(_table(values), tmp_path)[place]
    with pytest.raises(ColumnValuesError, match=said):
        gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits", "odd"]), 2, starts=1)


def test_a_profile_leaves_such_a_measure_aside_and_says_so() -> None:
    seg = gauger.segment_by_kmeans(gauger.prepare(_table(LONG), key="who", features=["visits"]), 2, starts=1)
    for values in (LONG, TINY):
        found = gauger.profile(seg, _table(values), resamples=0)
        assert "odd" not in found.means
        assert [one.features for one in found.remarks if one.code == "measure-left-aside"] == [("odd",)]


@pytest.mark.parametrize(
    ("low", "high", "whole", "fine"),
    [
        (0.0, 2.0**53, True, True),
        (-(2.0**53) - 2.0, 0.0, True, False),
        (0.0, 2.0**60, False, True),
        (0.0, 1e-150, False, True),
        (-9e-151, 9e-151, False, False),
        (0.0, 0.0, True, True),
        (-1.0, 1e-200, False, True),
    ],
)
def test_the_bounds(low: float, high: float, *, whole: bool, fine: bool) -> None:
    assert (beyond_exactness(low, high, whole=whole) is None) == fine
