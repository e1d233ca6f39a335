"""Reading a csv of a million rows, every type proven, against pandas.read_csv on the same file."""

import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pandas as pd

import gauger
from benchmarks.measuring import Measured, measure

N = 1_000_000


def run() -> Iterator[Measured]:
    """Keys, dates, categories, counts and money, as in a table of visits."""
    rng = np.random.default_rng(0)
    visits = pd.DataFrame(
        {
            "visit_id": np.arange(N),
            "member_id": [f"M{number:06d}" for number in rng.integers(0, 100_000, N)],
            "visited_on": (np.datetime64("2024-01-01") + rng.integers(0, 700, N)).astype(str),
            "house": rng.choice(["Alder", "Birch", "Cedar"], N),
            "seats": rng.integers(1, 6, N),
            "ticket_spend": rng.gamma(2.0, 10.0, N).round(2),
            "kiosk_spend": rng.gamma(1.0, 4.0, N).round(1),
            "channel": rng.choice(["door", "web"], N),
        }
    )
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "visits.csv"
        visits.to_csv(path, index=False)
        yield measure(
            f"read_table of a csv, {N:,} x {visits.shape[1]}",
            lambda: gauger.read_table(path),
            lambda: pd.read_csv(path),
            "pandas.read_csv",
            runs=9,
        )
