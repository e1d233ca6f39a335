"""The mark on each table that Gauger makes in a database: which study it belongs to, and which write made it.

PostgreSQL and DuckDB keep it in the table's comment, SQLite in a separate table, `gauger_tables`. Only marked tables
are ever replaced or changed.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from gauger.errors import DatabaseError
from gauger.tables.databases import without_password
from gauger.tables.sessions import Row, Session, dialect_of, transaction
from gauger.tables.sql_words import sql_text
from gauger.tables.table_names import TableName, new_name

if TYPE_CHECKING:
    from sqlalchemy import Connection

REGISTRY = "gauger_tables"
"""The table in which SQLite keeps the marks."""

_COLUMNS = ("name", "study", "write", "about", "definition")
_IN_A_COMMENT = re.compile(r" \[gauger study=([0-9a-f]*) write=([0-9a-f]+)\]\Z")


@dataclass(frozen=True)
class Mark:
    """What a table says of its making: the `study` it belongs to, empty if it belongs to no study, and the token of the
    `write`."""

    study: str
    write: str


def put_mark(session: Session, name: TableName, about: str, mark: Mark) -> None:
    """Mark a table, and say in words what it is."""
    if session.dialect == "sqlite":
        _make_registry(session)
        values = ", ".join(map(sql_text, (name.name, mark.study, mark.write, about)))
        session.rows(f"INSERT OR REPLACE INTO {REGISTRY} VALUES ({values}, {_definition(name)})")
        return
    text = f"{about} [gauger study={mark.study} write={mark.write}]"
    session.rows(f"COMMENT ON TABLE {name.sql} IS {sql_text(text)}")


def mark_table(connection: "Connection", url: str, name: TableName, about: str, write: str) -> None:
    """Mark a table that was written through a connection of SQLAlchemy, within its transaction."""

    def ask(statement: str) -> list[Row]:
        found = connection.execution_options(no_parameters=True).exec_driver_sql(statement)
        return [tuple(row) for row in found] if found.returns_rows else []

    put_mark(Session(dialect_of(url), without_password(url), ask), name, about, Mark("", write))


def mark_of(session: Session, name: TableName) -> Mark | None:
    """The mark of a table; None if Gauger did not make it, or if it does not exist."""
    found = mark_and_words(session, name)
    return None if found is None else found[0]


def mark_and_words(session: Session, name: TableName) -> tuple[Mark, str] | None:
    """The mark of a table, and what it says in words; None if Gauger did not make it, or if it does not exist."""
    if session.dialect == "sqlite":
        if not _has_registry(session):
            return None
        rows = session.rows(
            f"SELECT study, write, about FROM {REGISTRY} WHERE name = {sql_text(name.name)} COLLATE NOCASE "
            f"AND definition = {_definition(name)}"
        )
        return (Mark(str(rows[0][0]), str(rows[0][1])), str(rows[0][2])) if rows else None
    comment = _comment(session, name)
    mark = _IN_A_COMMENT.search(comment)
    return None if mark is None else (Mark(mark[1], mark[2]), comment[: mark.start()])


def was_committed(database: Mapping[str, str]) -> bool:
    """Whether a database has kept the write that a journal names by its url, table and token."""
    with transaction(database["url"]) as session:
        mark = mark_of(session, new_name(database["table"]))
    return mark is not None and mark.write == database["write"]


def _comment(session: Session, name: TableName) -> str:
    if session.dialect == "postgres":
        rows = session.rows(
            f"SELECT obj_description(oid, 'pg_class') FROM pg_class WHERE oid = to_regclass({sql_text(name.sql)}) "
            "AND relkind IN ('r', 'p')"
        )
    else:
        schema = "current_schema()" if name.schema is None else sql_text(name.schema)
        rows = session.rows(
            "SELECT comment FROM duckdb_tables() WHERE database_name = current_database() AND "
            f"lower(schema_name) = lower({schema}) AND lower(table_name) = lower({sql_text(name.name)})"
        )
    return str(rows[0][0] or "") if rows else ""


def _definition(name: TableName) -> str:
    """How SQLite says that the table was made: a table of the same name that somebody made later has another."""
    return f"(SELECT sql FROM sqlite_master WHERE type = 'table' AND name = {sql_text(name.name)} COLLATE NOCASE)"


def _has_registry(session: Session) -> bool:
    columns = tuple(row[0] for row in session.rows(f"SELECT name FROM pragma_table_info({sql_text(REGISTRY)})"))
    if columns and columns != _COLUMNS:
        raise DatabaseError(
            f"{session.shown}: the table {REGISTRY} is not the one in which Gauger notes the tables that it made. "
            "Rename it, so that Gauger can make its own."
        )
    return bool(columns)


def _make_registry(session: Session) -> None:
    if not _has_registry(session):
        named = ", ".join(f"{name} TEXT" for name in _COLUMNS[1:])
        session.rows(f"CREATE TABLE {REGISTRY} (name TEXT PRIMARY KEY COLLATE NOCASE, {named})")
