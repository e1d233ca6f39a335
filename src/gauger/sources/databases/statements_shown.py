"""The statements that segment a table, in the words of a database that nothing is sent to."""

import re
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path

from gauger.clustering import segment_by_kmeans
from gauger.errors import DatabaseError
from gauger.features import DOUBLE, Preparation
from gauger.sources.databases.database_tables import DatabaseTable
from gauger.sources.databases.table_targets import TableTarget
from gauger.sources.segmenting_everyone import SegmentedEveryone
from gauger.tables import TableName, names_of, sql_name

_DIALECTS = {
    "mysql": "mysql",
    "mariadb": "mysql",
    "bigquery": "bigquery",
    "snowflake": "snowflake",
    "redshift": "redshift",
    "mssql": "tsql",
    "databricks": "databricks",
    "spark": "spark",
    "clickhouse": "clickhouse",
    "trino": "trino",
}
"""The words of databases, by what their URLs begin with."""
_MADE_UP = 60
"""Customers of a stand-in table: enough for every statement to have something to work on."""
_OF_OURS = ("information_schema", "current_schema", "current_database", "BEGIN", "COMMIT", "sample_")
"""What is in statements that are sent as well: about columns, and on the sample that starts race on."""


def dialect_to_show(url: str) -> str:
    """The words of the database that a URL names; raises DatabaseError for one whose words are not known."""
    found = re.match(r"(\w+)(?:\+\w+)?:", url)
    if found is None or found[1] not in _DIALECTS:
        raise DatabaseError(f"unsupported database; statements can be shown for {', '.join(_DIALECTS)}.")
    return _DIALECTS[found[1]]


def statements_for(dialect: str, table: str, asked: Preparation, count: int, into: str) -> Iterator[str]:
    """The statements, one of each kind; figures in them are those of a stand-in table, and so are levels."""
    import sqlglot

    seen: set[str] = set()
    for statement in _sent(next(names_of(table)), asked, count, into):
        kind = re.sub(r"\d[\d.e+-]*", "#", statement)
        if kind in seen or any(word in statement for word in _OF_OURS):
            continue
        seen.add(kind)
        yield sqlglot.transpile(statement, read="duckdb", write=dialect, pretty=True)[0] + ";"


def _sent(name: TableName, asked: Preparation, count: int, into: str) -> Sequence[str]:
    """What is sent to a stand-in with the same names."""
    import duckdb

    told: list[str] = []
    columns = [f"CAST(i AS VARCHAR) AS {sql_name(asked.key)}"]
    columns += [
        f"CAST((i * {7 + at}) % {11 + at} AS {DOUBLE}) AS {sql_name(one)}" for at, one in enumerate(asked.measures)
    ]
    columns += [f"CASE WHEN i % 2 = 0 THEN 'a' ELSE 'b' END AS {sql_name(one)}" for one in asked.levelled]
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "stand-in.duckdb"
        with duckdb.connect(str(file)) as database:
            for schema in {name.schema, *(one.schema for one in names_of(into))} - {None}:
                database.execute(f"CREATE SCHEMA IF NOT EXISTS {sql_name(str(schema))}")
            database.execute(f"CREATE TABLE {name.sql} AS SELECT {', '.join(columns)} FROM range({_MADE_UP}) AS t(i)")
        there = DatabaseTable(f"duckdb:///{file}", name.sql, told=told.append)
        with there.working() as place:
            seg = segment_by_kmeans(there.features(asked, sampled=0, few=0), count, starts=1)
            target = TableTarget(into)
            assert isinstance(seg.everyone, SegmentedEveryone)
            seg.everyone.described(place, {}, target)
            place.finish(seg.everyone.model({}), seg.centres, asked.who, target)
    return told
