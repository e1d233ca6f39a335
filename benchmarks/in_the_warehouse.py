"""Segmenting inside a database, against adding its columns up; and against the same segments in memory.

`python -m benchmarks.in_the_warehouse` writes what it measures to docs/results/in_the_warehouse.json, of which the
documentation's table is made. It takes some minutes, a gigabyte of disk, and Debian's postgresql.
"""

import json
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import quote_plus

import numpy as np
import pandas as pd

import gauger
from benchmarks.measuring import Measured
from gauger.algorithms.kmeans import iterate
from gauger.features import Preparation
from gauger.sources import DatabaseTable
from gauger.sources.databases.database_survey import refuse_bad_keys
from gauger.sources.databases.table_customers import TableCustomers
from gauger.sources.places import Starts
from gauger.tables import Session

RESULTS = Path(__file__).parents[1] / "docs" / "results" / "in_the_warehouse.json"
NAMES = [f"m{at}" for at in range(6)]
COUNT = 6
SIZES = {"PostgreSQL": 1_000_000, "DuckDB": 10_000_000}
_FLOORS = 7
"""Times that columns are added up, of which the quickest counts."""


def made_up(rows: int, seed: int, apart: float) -> pd.DataFrame:
    """Members of six kinds by six measures; `apart` is how far kinds lie from each other, in standard deviations."""
    rng = np.random.default_rng(seed)
    middles, kinds = rng.normal(0.0, apart, (COUNT, len(NAMES))), rng.integers(0, COUNT, rows)
    table = pd.DataFrame(middles[kinds] + rng.normal(0.0, 1.0, (rows, len(NAMES))), columns=NAMES)
    table.insert(0, "member_id", np.char.add("M", np.char.zfill(np.arange(rows).astype(str), 8)))
    return table


@contextmanager
def duckdb_with(table: pd.DataFrame) -> Iterator[str]:
    """The URL of a DuckDB with a table `base`."""
    import duckdb

    with tempfile.TemporaryDirectory() as folder:
        with duckdb.connect(f"{folder}/base.duckdb") as database:
            database.register("given", table)
            database.execute("CREATE TABLE base AS SELECT * FROM given")
        yield f"duckdb:///{folder}/base.duckdb"


@contextmanager
def postgres_with(table: pd.DataFrame) -> Iterator[str]:
    """The URL of a PostgreSQL of our own with a table `base`."""
    import psycopg

    sys.path.insert(0, str(RESULTS.parents[1] / "tests"))
    from own_postgres import PASSWORD, USER, find_programs, running_postgres

    programs = find_programs()
    assert programs is not None, "PostgreSQL is needed: apt-get install postgresql"
    with running_postgres(programs) as socket:
        login = {"host": str(socket), "user": USER, "password": PASSWORD, "dbname": "postgres"}
        with psycopg.connect(**login, autocommit=True) as connection:
            columns = ", ".join(f"{name} DOUBLE PRECISION" for name in NAMES)
            connection.execute(f"CREATE TABLE base (member_id TEXT, {columns})")
            with connection.cursor().copy("COPY base FROM STDIN WITH CSV") as copy:
                copy.write(table.to_csv(index=False, header=False))
            connection.execute("VACUUM ANALYZE base")
        yield f"postgresql://{USER}:{quote_plus(PASSWORD)}@/postgres?host={socket}"


DATABASES = {"PostgreSQL": postgres_with, "DuckDB": duckdb_with}


def timed(url: str) -> dict[str, Any]:
    """What learning, starts and iterations take in a database, and adding its columns up."""
    table = DatabaseTable(url, "base")
    with table.working() as place:
        session = place.session
        floor = min(_added_up(session) for _ in range(_FLOORS))
        began = time.perf_counter()
        scaling = table.features(Preparation("member_id", features=NAMES), sampled=0, few=0).everyone.scaling
        learning = time.perf_counter() - began
        began = time.perf_counter()
        refuse_bad_keys(TableCustomers(session, place.relation, scaling.columns))
        keys = time.perf_counter() - began
        began = time.perf_counter()
        begun = place.started(scaling, Starts(COUNT, 10, 300, 0))
        starting = time.perf_counter() - began
        began = time.perf_counter()
        found = iterate(begun.sums, begun.centres, 300)
        iterating = time.perf_counter() - began
        floor = min(floor, *(_added_up(session) for _ in range(_FLOORS)))
    return {
        "sum_seconds": floor,
        "iteration_seconds": iterating / len(found.history),
        "iterations": len(found.history),
        "learning_seconds": learning - keys,
        "key_seconds": keys,
        "starting_seconds": starting,
    }


def _added_up(session: Session) -> float:
    began = time.perf_counter()
    session.rows(f"SELECT {', '.join(f'SUM({name})' for name in NAMES)} FROM base")
    return time.perf_counter() - began


def against_memory(url: str, table: pd.DataFrame) -> dict[str, Any]:
    """The segments of a database against those of the same table in memory."""
    base = gauger.open_table(url, table="base", execution=gauger.Execution(sample=0))
    began = time.perf_counter()
    found = gauger.segment_by_kmeans(gauger.prepare(base, key="member_id", features=NAMES), COUNT)
    medians_there = found.profile.medians
    seconds = time.perf_counter() - began
    features = gauger.prepare(table, key="member_id", features=NAMES)
    memory = gauger.segment_by_kmeans(features, COUNT)
    there = found.assignments.to_pandas()
    both = memory.assignments.merge(there, on="member_id")
    profile = gauger.profile(memory, resamples=0)
    medians = profile.medians.loc[list(medians_there.index), NAMES].to_numpy(dtype=float)
    gap = np.abs(medians_there.to_numpy() - medians).max()
    return {
        "seconds": seconds,
        "wcss_ratio": found.wcss / memory.wcss,
        "elsewhere": int((both["segment_x"] != both["segment_y"]).sum()),
        "median_gap": float(gap),
    }


def measured() -> list[dict[str, Any]]:
    """Every database: how long it takes, and against memory on a million members, far apart and overlapping."""
    rows = []
    for name, connect in DATABASES.items():
        with connect(made_up(SIZES[name], 1, 3.0)) as url:
            row: dict[str, Any] = {"database": name, "members": SIZES[name], **timed(url)}
        for kind, apart in (("apart", 3.0), ("overlapping", 0.8)):
            table = made_up(1_000_000, 2, apart)
            with connect(table) as url:
                row[kind] = against_memory(url, table)
        rows.append(row)
    return rows


def run() -> Iterator[Measured]:
    """An iteration in DuckDB, over adding the columns up."""
    with duckdb_with(made_up(2_000_000, 1, 3.0)) as url:
        row = timed(url)
    ratio = row["iteration_seconds"] / row["sum_seconds"]
    yield Measured(
        "iteration in DuckDB, 2,000,000 x 6", row["iteration_seconds"] * 1e3, row["sum_seconds"] * 1e3, ratio, "sums"
    )


def table_of(rows: list[dict[str, Any]]) -> str:
    """What was measured, as a table of the page."""
    lines = [
        "| database | members | an iteration, x adding up | treatments and starts, in iterations | looking for "
        "repeated keys, in iterations | wcss against memory, far apart and overlapping | elsewhere, of 1,000,000 |",
        "| --- | ---: | ---: | ---: | ---: | --- | --- |",
    ]
    for row in rows:
        each = row["iteration_seconds"]
        before = (row["learning_seconds"] + row["starting_seconds"]) / each
        pairs = [row[kind] for kind in ("apart", "overlapping")]
        lines.append(
            f"| {row['database']} | {row['members']:,} | {each / row['sum_seconds']:.1f} | {before:.1f} | "
            f"{row['key_seconds'] / each:.1f} | {' and '.join(format(one['wcss_ratio'], '.9f') for one in pairs)} | "
            f"{' and '.join(format(one['elsewhere'], ',') for one in pairs)} |"
        )
    return "\n".join(lines)


TABLES = {"warehouse": table_of}
"""What the documentation has of the results."""


if __name__ == "__main__":
    found = measured()
    RESULTS.write_text(json.dumps(found, indent=1) + "\n", encoding="utf-8")
    print(table_of(found))
