"""The files of a hand-off: audiences, arms, and hashed addresses, each with its rows, columns and SHA-256."""

import hashlib
import re
import sqlite3
import unicodedata
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pandas as pd

from gauger.errors import OutputError
from gauger.segmentation import UNASSIGNED_NAME
from gauger.tables import FolderResults, Results, TableName, can_be_sent, connected, mark_table, write_file

if TYPE_CHECKING:
    from sqlalchemy.engine import Connection

FORMATS = ("csv", "jsonl", "parquet", "xlsx", "sqlite")
ARMS = "arms.csv"
_OURS = re.compile(r"(?:audience(?:-\d+-[a-z0-9-]+)?|match-(?:email|phone))\.[a-z]+|arms\.csv|manifest\.(?:json|html)")


def write_files(
    stage: Path,
    audience: pd.DataFrame,
    arms: pd.DataFrame,
    hashes: dict[str, "pd.Series[str]"],
    names: dict[int, str],
    *,
    campaign: str,
    kind: str,
    connection: "Connection | None" = None,
) -> list[dict[str, Any]]:
    """Write everything into a folder, and tell of each file its name, rows, columns and SHA-256."""
    tables = {"audience": audience}
    for number in sorted(set(audience["segment"].tolist())):
        own, name = audience[audience["segment"] == number], names.get(number, UNASSIGNED_NAME)
        tables[f"audience-{number}-{_slug(name)}"] = own.reset_index(drop=True)
    for address, column in hashes.items():
        known = sorted(column.dropna().unique())
        tables[f"match-{address}"] = pd.DataFrame({f"{address}_sha256": known}, dtype="str")
    told = []
    if connection is not None:
        told += _write_database(connection, campaign, tables)
    elif kind == "sqlite":
        told += _write_sqlite(stage / "audience.sqlite", tables)
    else:
        for name, table in tables.items():
            path = stage / f"{name}.{kind}"
            write_file(table, path)
            told.append(_told(path, table))
    write_file(arms, stage / ARMS)
    told.append(_told(stage / ARMS, arms))
    return told


def is_ours(name: str) -> bool:
    """Whether a file of a hand-off could be called so."""
    return _OURS.fullmatch(name) is not None


def sha256_of(path: Path) -> str:
    """A file's SHA-256 in hexadecimal."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def _told(path: Path, table: pd.DataFrame) -> dict[str, Any]:
    return {"name": path.name, "rows": len(table), "columns": list(map(str, table.columns)), "sha256": sha256_of(path)}


def _slug(name: str) -> str:
    """A segment's name as part of a file's."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:40] or "segment"


def _write_sqlite(path: Path, tables: dict[str, pd.DataFrame]) -> list[dict[str, Any]]:
    """One database file with a table for each audience."""
    try:
        with closing(sqlite3.connect(path)) as lite, lite:
            for name, table in tables.items():
                _plain(table).to_sql(name.replace("-", "_"), lite, index=False)
    except sqlite3.Error as error:
        raise OutputError(f"writing {path.name} failed: {error}. Nothing was written.") from error
    return [_told(path, tables["audience"])]


@contextmanager
def database_of(kind: str, campaign: str, results: FolderResults | Results) -> "Iterator[Connection | None]":
    """A transaction in the database whose URL the format is, None for files. When the block ends well, the results are
    sealed and the transaction is committed, so that neither is there without the other."""
    if kind in FORMATS:
        yield None
        return
    with connected(kind) as connection, connection.begin():
        yield connection
        if can_be_sent(kind):
            main = TableName(None, table_called(campaign, "audience"))
            mark_table(connection, kind, main, f"Gauger: the audience of {campaign}.", results.token)
            results.seal(kind, main.name)
        else:
            results.seal()


def table_called(campaign: str, name: str) -> str:
    """What the table of an audience is called in a database."""
    return f"{_slug(campaign)}_{name}".replace("-", "_")


def _write_database(connection: "Connection", campaign: str, tables: dict[str, pd.DataFrame]) -> list[dict[str, Any]]:
    """A table for each audience; none may be there already."""
    named = {table_called(campaign, name): table for name, table in tables.items()}
    for name, table in named.items():
        try:
            _plain(table).to_sql(name, connection, index=False, if_exists="fail")
        except ValueError as error:
            raise OutputError(
                f"the database has a table {name} already. Nothing was written: choose another name for the campaign."
            ) from error
    return [
        {"name": name, "rows": len(table), "columns": list(map(str, table.columns)), "sha256": None}
        for name, table in named.items()
    ]


def _plain(table: pd.DataFrame) -> pd.DataFrame:
    """A table with text as plain objects, gaps as None."""
    return table.astype(object).where(table.notna(), None)
