"""Segmenting files out of core, against reading their columns; and how it grows with members and workers.

`python -m benchmarks.by_blocks --members 1,10,50` (millions) writes what it measures to docs/results/by_blocks.json, of
which the documentation's table is made; it takes some minutes and a gigabyte of disk.
"""

import argparse
import json
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq

import gauger
from benchmarks.measuring import Measured
from gauger.demo import MEASURES, write_many_members
from gauger.sources.files.crews import PartsAtWork

RESULTS = Path(__file__).parents[1] / "docs" / "results" / "by_blocks.json"
COUNT = 6
_TERABYTE, _BYTES_A_MEMBER, _WORKERS = 1e12, 6 * 8, 100
_MILLION = 1_000_000


def segmented(base: Path, out: Path, workers: int | None = None) -> dict[str, Any]:
    """Segment a base in a process of its own; how long it took, its peak of memory, and how it went."""
    words = [sys.executable, "-m", "benchmarks.by_blocks", "--one", str(base), str(out), str(workers or 0)]
    told = subprocess.run(words, capture_output=True, text=True, check=True)
    return dict(json.loads(told.stdout.splitlines()[-1]))


def _segment(base: str, out: str, workers: int) -> dict[str, Any]:
    with _cluster(workers) as cluster:
        if cluster is not None:  # a cluster that is there already has loaded what it works with
            write_many_members(20_000, Path(out).with_name("warm"), in_a_part=5_000)
            _segmented(str(Path(out).with_name("warm")), out, cluster)
        began = time.perf_counter()
        with _counted() as at_work:
            found = _segmented(base, out, cluster)
        seconds = time.perf_counter() - began
    return {
        "seconds": seconds,
        "peak_mb": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**10,
        "iterations": found.iterations,
        "passes": sum(one.passes for one in at_work),
        "converged": found.converged,
        "customers": int(found.sizes.sum()),
        "wcss": found.wcss,
    }


@contextmanager
def _counted() -> Iterator[list[PartsAtWork]]:
    """Everyone that worked on parts, each of which knows how often it read all of them."""
    at_work, made = [], PartsAtWork.__init__

    def counted(self: PartsAtWork, *given: Any) -> None:
        made(self, *given)
        at_work.append(self)

    PartsAtWork.__init__ = counted  # type: ignore[method-assign]
    try:
        yield at_work
    finally:
        PartsAtWork.__init__ = made  # type: ignore[method-assign]


def _segmented(base: str, out: str, cluster: Any) -> gauger.Segmentation:
    table = gauger.open_table(base, execution=gauger.Execution(cluster=cluster))
    features = gauger.prepare(table, key="member_id", features=list(MEASURES), transform="log")
    seg = gauger.segment_by_kmeans(features, COUNT)
    gauger.save_study(seg, out, replace=True)
    return seg


@contextmanager
def _cluster(workers: int) -> Iterator[Any]:
    """A client of so many processes of one thread; None for none."""
    if not workers:
        yield None
        return
    from distributed import Client
    from distributed.deploy.subprocess import SubprocessCluster

    with (
        SubprocessCluster(host="127.0.0.1", n_workers=workers, threads_per_worker=1, dashboard_address=None) as here,
        Client(here) as client,
    ):
        client.wait_for_workers(workers)
        yield client


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
    """One and five million members, out of core, against iterations times reading."""
    for row in grown((1, 5), ()):
        floor = row["iterations"] * row["reading_seconds"]
        what = f"segment files, {row['millions']},000,000 x 6, {row['passes']} passes"
        yield Measured(what, row["seconds"] * 1e3, floor * 1e3, row["seconds"] / floor, "iterations x reading")


def table_of(rows: Sequence[dict[str, Any]]) -> str:
    """How it grows, as a table of the documentation."""
    lines = [
        "| members | done by | seconds | iterations | passes | x iterations x reading | peak memory |",
        "| ---: | --- | ---: | ---: | ---: | ---: | ---: |",
    ]
    for row in rows:
        who = f"{row['workers']} worker{'s' if row['workers'] > 1 else ''}" if row["workers"] else "threads"
        ratio = row["seconds"] / (row["iterations"] * row["reading_seconds"])
        peak = "" if row["workers"] else f"{row['peak_mb']:,.0f} MB"
        lines.append(
            f"| {row['millions']},000,000 | {who} | {row['seconds']:.0f} | {row['iterations']} | {row['passes']} | "
            f"{ratio:.2f} | {peak} |"
        )
    return "\n".join(lines)


def terabyte(rows: Sequence[dict[str, Any]]) -> str:
    """What a terabyte on a hundred workers would need, reckoned from the largest base that one worker did."""
    row = max((row for row in rows if row["workers"] == 1), key=lambda row: row["millions"])
    each = row["seconds"] / (row["millions"] * _MILLION)
    members = _TERABYTE / _BYTES_A_MEMBER
    minutes = members * each / _WORKERS / 60.0
    return (
        f"One worker of one thread took {each * 1e6:.2f} microseconds a member for all of it, with {row['iterations']} "
        f"iterations in {row['passes']} passes at {row['millions']} million. A terabyte of six measures of 8 bytes is "
        f"{members / 1e9:.1f} thousand million members: on {_WORKERS} such workers {minutes:.0f} minutes, if storage "
        "hands each of them its share as fast as this machine's page cache did, and passes stay as few. The hashes of "
        f"keys take 8 bytes a member, {members * 8 / _WORKERS / 1e9:.1f} GB a worker."
    )


TABLES = {
    "growth": lambda results: table_of(results["rows"]),
    "terabyte": lambda results: terabyte(results["rows"]),
}
"""What the documentation has of the results."""


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
