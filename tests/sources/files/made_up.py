"""Made-up members with gaps, long tails and a category, and the same as files."""

from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq

PREPARATION: dict[str, Any] = {
    "features": ["visits", "spend", "age"],
    "categories": ["area"],
    "missing": {"age": "median", "spend": "mean", "visits": 0, "area": "zero"},
    "flag_missing": ["age"],
    "cap": {"spend": (0.01, 0.97), "age": (0.0, 0.9)},
    "transform": {"spend": "signed_log"},
    "scale": {"visits": "minmax", "age": "robust", "spend": "zscore", "area": "zscore"},
    "weight": {"visits": 2.0},
}


def made_up_members(seed: int, rows: int) -> pd.DataFrame:
    rng = np.random.default_rng(seed)
    kind = rng.integers(0, 3, rows)
    table = pd.DataFrame(
        {
            "who": rng.permutation(rows * 3)[:rows],
            "visits": rng.poisson(3.0 + 5.0 * kind).astype(float),
            "spend": rng.gamma(1.0 + kind, 30.0) - 5.0,
            "age": np.round(rng.normal(30.0 + 10.0 * kind, 4.0), 1),
            "area": np.array(["north", "south", "east"])[kind],
        }
    )
    for name, share in {"visits": 0.05, "spend": 0.1, "age": 0.2, "area": 0.05}.items():
        table.loc[rng.random(rows) < share, name] = None
    return table


def split(folder: Path, table: pd.DataFrame, ends: list[int], rows_in_group: int) -> None:
    """Write a table as Parquet files that end at some rows."""
    folder.mkdir()
    bounds = [0, *sorted({end % (len(table) + 1) for end in ends}), len(table)]
    for number, (first, last) in enumerate(pairwise(bounds)):
        part = pa.Table.from_pandas(table.iloc[first:last], preserve_index=False)
        pq.write_table(part, folder / f"{number:03}.parquet", row_group_size=rows_in_group)
