"""Tables and queries of a database, by URL."""

import re
import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import quote, unquote

import pandas as pd
import pyarrow as pa

from gauger.columns import refuse_bad_names, to_pandas
from gauger.errors import DatabaseError, MissingFileError, SettingError, UnknownTableError, needed_package
from gauger.progress import task
from gauger.tables.cells import column_of, joined
from gauger.tables.queries import refuse_other_than_select
from gauger.tables.text import Readout
from gauger.tables.type_inference import ReadingRules, apply_rules
from gauger.tables.url_variables import SentUrl, sent_url

if TYPE_CHECKING:
    from sqlalchemy import URL, Connection, Engine, Executable

CHUNK = 20_000
"""Rows fetched at once: decides nothing but memory."""

PASSWORD_VARIABLE = "GAUGER_PASSWORD"
"""The environment variable that stands for a password which was typed into a URL."""

_URL = re.compile(r"[A-Za-z][A-Za-z0-9+.-]+://")
_PASSWORD = re.compile(r"(://[^:/@]*):(.*)@")
_IS_VARIABLE = re.compile(r"\$\{\w+\}")
_SECRET_SETTING = re.compile(r"([?&][^=&]*(?:pass|pwd|secret|token)[^=&]*=)([^&\s]*)", re.IGNORECASE)


def is_url(source: str) -> bool:
    """Whether a source is a database's URL and not a path."""
    return _URL.match(source) is not None


def without_password(text: str) -> str:
    """A URL, or a text that holds one, with `***` for what nobody else should read."""
    return _SECRET_SETTING.sub(r"\1***", _PASSWORD.sub(r"\1:***@", text))


def password_as(text: str, variable: str) -> str:
    """A URL with `${variable}` for its password and every other secret, as a plan may hold it."""
    hidden = f"${{{variable}}}"
    named = _PASSWORD.sub(lambda found: found[0] if _IS_VARIABLE.fullmatch(found[2]) else f"{found[1]}:{hidden}@", text)
    return _SECRET_SETTING.sub(
        lambda found: found[0] if _IS_VARIABLE.fullmatch(found[2]) else f"{found[1]}{hidden}", named
    )


def refuse_both(table: str | None, query: str | None) -> None:
    """Raise SettingError unless a table or a query is named, one of them."""
    if (table is None) == (query is None):
        given = "both" if table else "neither"
        raise SettingError(
            f"a database needs table= or query=, and {given} was given (on the command line: --table or --query)."
        )


def read_database(source: str, table: str | None, query: str | None, rules: ReadingRules) -> Readout:
    """Read one table or one query's result, in chunks."""
    refuse_both(table, query)
    if query is not None:
        refuse_other_than_select(query, kind_of_database(source))
    with connected(source, only_reads=True) as connection:
        statement, rows = _whole_table(connection, source, table) if table else _own_query(connection, query or "")
        name = f"reading {table}" if table else "reading the query's result"
        result = connection.execution_options(stream_results=True, yield_per=CHUNK).execute(statement)
        names = list(result.keys())
        refuse_bad_names("the query's result", names, "its columns")
        chunks: list[list[pa.Array]] = [[] for _ in names]
        with task(name, rows) as advance:
            for part in result.partitions():
                for column, values in zip(chunks, zip(*part, strict=True), strict=True):
                    column.append(column_of(values))
                advance(len(part))
    columns = {name: joined(column) for name, column in zip(names, chunks, strict=True)}
    return apply_rules(pa.table(columns), rules, iso_dates=True), []


def frame_of(names: Sequence[str], rows: Sequence[Sequence[object]]) -> pd.DataFrame:
    """Rows of a database as a table, each column of what its values are."""
    columns = zip(*rows, strict=True) if rows else ([] for _ in names)
    return to_pandas(pa.table({name: column_of(list(own)) for name, own in zip(names, columns, strict=True)}))


def _whole_table(connection: "Connection", source: str, name: str) -> "tuple[Executable, int]":
    import sqlalchemy as sa

    schema, _, bare = name.rpartition(".")
    inspector = sa.inspect(connection)
    if not inspector.has_table(bare, schema=schema or None):
        present = [*inspector.get_table_names(schema or None), *inspector.get_view_names(schema or None)]
        raise UnknownTableError.among(name, present, without_password(source))
    table = sa.table(bare, schema=schema or None)
    rows = connection.execute(sa.select(sa.func.count()).select_from(table)).scalar_one()
    return sa.select(sa.text("*")).select_from(table), rows


def kind_of_database(source: str) -> str:
    """What a URL begins with, without the driver: "postgresql", "sqlite", "duckdb" or another."""
    return source.partition("://")[0].partition("+")[0].lower()


def _own_query(connection: "Connection", query: str) -> "tuple[Executable, None]":
    import sqlalchemy as sa

    if connection.dialect.name == "sqlite":
        connection.connection.driver_connection.set_authorizer(_only_selects)  # type: ignore[union-attr]
    return sa.text(query.replace(":", r"\:")), None


def _only_selects(action: int, *_: object) -> int:
    """What a query may do in SQLite, which asks for each step."""
    allowed = (sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_RECURSIVE)
    return sqlite3.SQLITE_OK if action in allowed else sqlite3.SQLITE_DENY


@contextmanager
def connected(source: str, *, only_reads: bool = False) -> "Iterator[Connection]":
    """A connection, which the driver itself keeps from writing where it `only_reads`.

    Errors show neither the password nor the values of variables.
    """
    with needed_package("sqlalchemy", "sql"):
        import sqlalchemy as sa
    shown, sent = without_password(source), sent_url(source)
    try:
        url = sa.make_url(sent.text)
    except (sa.exc.ArgumentError, ValueError):
        form = "postgresql+psycopg://user@host:5432/shop, or sqlite:///shop.db"
        raise DatabaseError(f"{shown} is not a database's URL. Write it like {form}.") from None
    secret = _PASSWORD.search(sent.text)
    if secret is not None and url.password != unquote(secret.group(2)):
        # The driver would take a part of the password for the host, and repeat it in its own words.
        raise DatabaseError(
            f"{shown}: the password holds a sign that means something in a URL: write @ as %40, / as %2F."
        )
    try:
        _refuse_missing_file(url, sent)
        engine = _engine(url, shown, only_reads=only_reads)
        try:
            with engine.connect() as connection:
                yield _reading(connection) if only_reads else connection
        finally:
            engine.dispose()
    except sa.exc.SQLAlchemyError as error:
        told = str(getattr(error, "orig", None) or error).strip().splitlines()[0]
        # The driver's own words may quote the URL, so the chain of causes is cut.
        raise DatabaseError(f"{shown}: {_without_secrets(told, sent)}") from None


def _reading(connection: "Connection") -> "Connection":
    """A connection whose transaction cannot write; SQLite's file was opened so."""
    import sqlalchemy as sa

    if connection.dialect.name == "postgresql":
        return connection.execution_options(postgresql_readonly=True)
    if connection.dialect.name in ("mysql", "mariadb"):
        connection.execute(sa.text("SET SESSION TRANSACTION READ ONLY"))
    return connection


def _engine(url: "URL", shown: str, *, only_reads: bool) -> "Engine":
    import sqlalchemy as sa

    try:
        file = url.database if url.get_backend_name() == "sqlite" else None
        if only_reads and file and file != ":memory:" and not file.startswith("file:"):
            name = f"file:{quote(str(Path(file).resolve()))}?mode=ro"
            return sa.create_engine(url.set(query={}), creator=lambda: sqlite3.connect(name, uri=True))
        if url.drivername in ("postgres", "postgresql"):
            url = url.set(drivername="postgresql+psycopg")
        engine = sa.create_engine(url)
    except ModuleNotFoundError as error:
        raise DatabaseError(
            f"{shown} needs the Python package {error.name!r} to be reached. For PostgreSQL: pip install 'gauger[sql]'."
        ) from None
    if url.get_backend_name() == "sqlite":
        _with_whole_transactions(engine)
    return engine


def _with_whole_transactions(engine: "Engine") -> None:
    """Let tables of SQLite be made inside the transaction, which its driver otherwise begins after them."""
    import sqlalchemy as sa

    sa.event.listen(engine, "connect", lambda connection, _: setattr(connection, "isolation_level", None))
    sa.event.listen(engine, "begin", lambda connection: connection.exec_driver_sql("BEGIN"))


def _refuse_missing_file(url: "URL", sent: SentUrl) -> None:
    """A missing SQLite file would be made, empty, by looking into it."""
    if url.get_backend_name() == "sqlite" and url.database and url.database != ":memory:":
        file = Path(url.database)
        if not file.exists():
            raise MissingFileError(sent.hide(str(MissingFileError.at(file))))


def _without_secrets(told: str, sent: SentUrl) -> str:
    source = sent.text
    secrets = [found.group(2) for pattern in (_PASSWORD, _SECRET_SETTING) for found in pattern.finditer(source)]
    told = without_password(told.replace(source, without_password(source)))
    for secret in filter(None, (*secrets, *map(unquote, secrets))):
        told = told.replace(secret, "***")
    return sent.hide(told)
