"""Commands against what their work costs: `python -m benchmarks.commands`; the largest makes some gigabytes of files.

Each is a process, and so is its floor, so that both load what they need; `calls` is the same work without loading.
"""

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.measuring import Measured
from gauger.demo import MEASURES, write_many_members

_NAMES = ",".join(MEASURES)

_SEGMENT_FLOOR = """
import sys, time
import pyarrow as pa, pyarrow.csv as csv, pyarrow.parquet as pq
import gauger
began = time.perf_counter()
table = pq.read_table(sys.argv[1])
read = time.perf_counter() - began
features = gauger.prepare(table.to_pandas(), key="member_id", features=sys.argv[2].split(","), transform="log")
began = time.perf_counter()
seg = gauger.segment_by_kmeans(features, 6)
assignments = pa.Table.from_pandas(seg.assignments, preserve_index=False)
csv.write_csv(assignments, sys.argv[3])
print(read + time.perf_counter() - began)
"""

_LOOK_FLOOR = """
import sys, time
import duckdb
began = time.perf_counter()
database = duckdb.connect()
database.execute(f"CREATE TABLE t AS SELECT * FROM read_csv('{sys.argv[1]}')")
names = [row[0] for row in database.execute("DESCRIBE t").fetchall()]
database.execute("SELECT " + ", ".join(f"count(DISTINCT {name})" for name in names) + " FROM t").fetchall()
print(time.perf_counter() - began)
"""

_PROFILE_FLOOR = """
import sys, time
import gauger
study = gauger.open_study(sys.argv[1])
seg, table = study.segmentation, study.table
began = time.perf_counter()
gauger.profile(seg, table)
print(time.perf_counter() - began)
"""


def run() -> Iterator[Measured]:
    """Segment a million, look at five million, profile a million, and the demo where nothing is compiled yet."""
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        write_many_members(1_000_000, folder / "base")
        file = folder / "base" / "members-0000.parquet"
        words = ["segment", file, "--key", "member_id", "--features", _NAMES, "--transform", "log", "--count", "6"]
        command = [*words, "--at-once", "--out", folder / "out", "--replace"]
        yield from _against("segment 1,000,000 x 6", command, _SEGMENT_FLOOR, [file, _NAMES, folder / "f.csv"])
        yield from _against("profile 1,000,000 x 8", ["profile", folder / "out"], _PROFILE_FLOOR, [folder / "out"])
        text = folder / "five.csv"
        _write_text(text)
        yield from _against("look at 5,000,000 x 8 csv", ["look", text, "--key", "member_id"], _LOOK_FLOOR, [text])
        compiled = folder / "compiled"
        first, second = (_seconds(["demo", "--out", folder / "demo", "--replace"], compiled) for _ in range(2))
        yield Measured("demo, the first run", first * 1e3, second * 1e3, first / second, "the second run")


def _against(what: str, command: list[object], floor: str, words: list[object]) -> Iterator[Measured]:
    """The best of three, against its floor as a process and as calls alone."""
    took = min(_seconds(command) for _ in range(3))
    floors = [_floor(floor, words) for _ in range(3)]
    whole, calls = min(one for one, _ in floors), min(one for _, one in floors)
    yield Measured(what, took * 1e3, whole * 1e3, took / whole, "the same calls as a process")
    yield Measured(f"{what}, calls", took * 1e3, calls * 1e3, took / calls, "the same calls alone")


def _seconds(words: list[object], compiled: Path | None = None) -> float:
    environment = {**os.environ, **({} if compiled is None else {"NUMBA_CACHE_DIR": str(compiled)})}
    began = time.perf_counter()
    command = [sys.executable, "-m", "gauger", *map(str, words)]
    subprocess.run(command, env=environment, check=True, capture_output=True)
    return time.perf_counter() - began


def _floor(code: str, words: list[object]) -> tuple[float, float]:
    """Seconds of a process, and those that its calls took by themselves."""
    began = time.perf_counter()
    done = subprocess.run([sys.executable, "-c", code, *map(str, words)], check=True, capture_output=True, text=True)
    return time.perf_counter() - began, float(done.stdout.split()[-1])


def _write_text(path: Path) -> None:
    import pyarrow.csv as arrow_csv

    from gauger.demo.many_members import many_members

    head = many_members(0, 1).drop_columns(["joined"])
    with arrow_csv.CSVWriter(path, head.schema) as writer:
        for block in range(5):
            writer.write_table(many_members(block * 1_000_000, 1_000_000).drop_columns(["joined"]))


def main() -> None:
    """Print the lines."""
    for one in run():
        print(one, flush=True)


if __name__ == "__main__":
    main()
