"""Events to behaviour: time against one pandas groupby, and the memory of a file larger than it."""

import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

import gauger
from benchmarks.measuring import Measured, measure

N, CUSTOMERS = 5_000_000, 400_000
LARGE, AT_ONCE = 50_000_000, 1_000_000
COLUMNS = {"customer": "customer", "when": "moment", "amount": "amount", "quantity": "quantity"}
TEN = (
    "recency_days visits active_days first_seen spend_total spend_mean spend_largest refunds quantity_total "
    "quantity_mean"
).split()


def run() -> Iterator[Measured]:
    """Ten measures of five million events in memory; then fifty million from Parquet."""
    events = _events(np.random.default_rng(0), N).to_pandas()
    yield measure(
        f"events to ten measures, {N:,} of {CUSTOMERS:,}",
        lambda: gauger.summarise_events(events, measures=TEN, **COLUMNS),
        lambda: events.groupby("customer").agg(
            first=("moment", "min"),
            last=("moment", "max"),
            number=("moment", "size"),
            total=("amount", "sum"),
            mean=("amount", "mean"),
        ),
        "groupby with five aggregates",
        runs=5,
    )
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "events.parquet"
        _write(path)
        # A new process from a small one: a large parent's memory would be counted as its child's.
        script = "import resource, sys; from benchmarks.events import summarise_file; summarise_file(sys.argv[1]); "
        script += "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)"
        command = [sys.executable, "-c", script, str(path)]
        told = subprocess.run([sys.executable, "-c", _RELAY, *command], check=True, capture_output=True, text=True)
        peak = int(told.stdout) / 1024
    yield Measured(f"events from Parquet, {LARGE:,}, memory", peak, 2000.0, peak / 2000.0, "2 GB", "MB")


def summarise_file(path: str) -> None:
    """The usual measures from a file."""
    gauger.summarise_events(path, **COLUMNS)


_RELAY = "import subprocess, sys; sys.exit(subprocess.run(sys.argv[1:]).returncode)"


def _events(rng: np.random.Generator, rows: int) -> pa.Table:
    moments = np.datetime64("2024-01-01", "us") + rng.integers(0, 700 * 86_400, rows).astype("m8[s]")
    return pa.table(
        {
            "customer": rng.integers(0, CUSTOMERS, rows),
            "moment": moments,
            "amount": rng.gamma(2.0, 10.0, rows).round(2),
            "quantity": rng.integers(1, 6, rows),
        }
    )


def _write(path: Path) -> None:
    rng = np.random.default_rng(0)
    first = _events(rng, AT_ONCE)
    with pq.ParquetWriter(path, first.schema) as writer:
        writer.write_table(first)
        for _ in range(LARGE // AT_ONCE - 1):
            writer.write_table(_events(rng, AT_ONCE))
