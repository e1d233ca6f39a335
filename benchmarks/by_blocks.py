"""Segmenting files by blocks, against reading their columns; and how it grows with members and workers.

`python -m benchmarks.by_blocks` writes what it measures to docs/by_blocks.json, from which the guide's table is made:
`python -m benchmarks.by_blocks --members 1,10,50` (millions) takes some minutes and some gigabytes of disk.
"""

import argparse
import json
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq

from benchmarks.measuring import Measured
from gauger.demo.many_members import MEASURES, write_many_members

RESULTS = Path(__file__).parents[1] / "docs" / "by_blocks.json"
COUNT = 6
_MILLION = 1_000_000


def segmented(base: Path, out: Path, workers: int | None = None) -> dict[str, Any]:
    """Segment a base in a process of its own; how long it took, its peak of memory, and how it went."""
    words = [sys.executable, "-m", "benchmarks.by_blocks", "--one", str(base), str(out), str(workers or 0)]
    told = subprocess.run(words, capture_output=True, text=True, check=True)
    return dict(json.loads(told.stdout.splitlines()[-1]))


def _segment(base: str, out: str, workers: int) -> dict[str, Any]:
    import gauger

    began = time.perf_counter()
    found = gauger.segment_files(
        base,
        out,
        key="member_id",
        features=list(MEASURES),
        transform="log",
        count=COUNT,
        workers=workers or None,
        replace=True,
    )
    seconds = time.perf_counter() - began
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**10
    sizes = found.sizes.tolist()
    return {
        "seconds": seconds,
        "peak_mb": peak,
        "iterations": found.iterations,
        "passes": found.passes,
        "converged": found.converged,
        "customers": sum(sizes),
        "wcss": found.wcss,
    }


def reading(base: Path) -> float:
    """Seconds to read the measures once with pyarrow, on the same cores."""
    began = time.perf_counter()
    for path in sorted(base.glob("*.parquet")):
        pq.read_table(path, columns=list(MEASURES))
    return time.perf_counter() - began


def grown(millions: Sequence[int], workers: Sequence[int]) -> Iterator[dict[str, Any]]:
    """What each size takes on threads, and on so many processes of one thread."""
    with tempfile.TemporaryDirectory() as scratch:
        for million in millions:
            base = Path(scratch) / f"base-{million}"
            write_many_members(million * _MILLION, base)
            for many in (None, *workers):
                floor = min(reading(base) for _ in range(3))
                found = segmented(base, Path(scratch) / "out", many)
                yield {"millions": million, "workers": many or 0, "reading_seconds": floor, **found}


def run() -> Iterator[Measured]:
    """One and five million members, by blocks, against iterations times reading."""
    for row in grown((1, 5), ()):
        floor = row["iterations"] * row["reading_seconds"]
        what = f"segment_files, {row['millions']},000,000 x 6, {row['passes']} passes"
        yield Measured(what, row["seconds"] * 1e3, floor * 1e3, row["seconds"] / floor, "iterations x reading")


def main() -> None:
    """Measure and keep the results."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--members", default="1,10,50")
    options.add_argument("--workers", default="1,2")
    options.add_argument("--one", nargs=3)
    given = options.parse_args()
    if given.one:
        print(json.dumps(_segment(given.one[0], given.one[1], int(given.one[2]))))
        return
    rows = []
    for row in grown([int(one) for one in given.members.split(",")], [int(one) for one in given.workers.split(",")]):
        rows.append(row)
        floor = row["iterations"] * row["reading_seconds"]
        print(
            f"{row['millions']:>4} million, {row['workers'] or 'no'} workers: {row['seconds']:7.1f} s, "
            f"{row['seconds'] / floor:5.2f} x {row['iterations']} iterations x reading, {row['passes']} passes, "
            f"{row['peak_mb']:,.0f} MB",
            flush=True,
        )
        RESULTS.write_text(json.dumps({"count": COUNT, "rows": rows}, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
