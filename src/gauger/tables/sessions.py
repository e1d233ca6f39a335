"""Statements sent to a database in one transaction: to PostgreSQL, DuckDB or SQLite."""

import re
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from hashlib import blake2b
from pathlib import Path
from typing import Any, TypeVar
from urllib.parse import unquote

from gauger.algorithms import thread_count
from gauger.errors import DatabaseError, MissingFileError, SettingError
from gauger.tables.databases import connected, refuse_both, without_password
from gauger.tables.queries import refuse_other_than_select
from gauger.tables.text import Readout
from gauger.tables.type_inference import ReadingRules, apply_rules
from gauger.tables.url_variables import sent_url

Row = tuple[Any, ...]
Made = TypeVar("Made")

_TICK = 0.1
"""Seconds between looks whether Ctrl-C was pressed: judgement."""

_SCHEME = re.compile(r"(postgres(?:ql)?|duckdb|sqlite)(?:\+\w+)?:")

_ALONE: dict[str, str | bool | int | float | list[str]] = {
    "enable_external_access": "false",
    "autoload_known_extensions": "false",
    "autoinstall_known_extensions": "false",
    "allow_community_extensions": "false",
    "lock_configuration": "true",
}
"""DuckDB left alone with its file, whatever a query or a view says: no other file, no server, nothing installed."""

_SETTINGS = (
    "SET LOCAL jit = off",
    "SET LOCAL work_mem = '128MB'",
    "SET LOCAL standard_conforming_strings = on",
    "SET LOCAL timezone = 'UTC'",
)
"""PostgreSQL compiles long statements anew each time, which takes longer than they do, and sorts on the disk what 4 MB
do not hold; a backslash is one in any name."""


@dataclass(frozen=True, eq=False)
class Session:
    """A transaction in a database: all that it reads is of one moment, and what it writes appears at its end, or not.

    `dialect` is "postgres", "duckdb" or "sqlite", `shown` the URL without what nobody should read.
    """

    dialect: str
    shown: str
    fetch: Callable[[str], list[Row]]
    told: Callable[[str], None] | None = None
    fetch_some: Callable[[str, int], Iterator[list[Row]]] | None = None

    def rows(self, statement: str) -> list[Row]:
        """What a statement gives; nothing for one that only does something."""
        if self.told is not None:
            self.told(statement)
        return self.fetch(statement)

    def batches(self, statement: str, size: int) -> Iterator[list[Row]]:
        """The rows of a statement, some at a time; nothing else may be asked meanwhile."""
        if self.told is not None:
            self.told(statement)
        assert self.fetch_some is not None
        yield from self.fetch_some(statement, size)

    def row(self, statement: str) -> Row:
        """The only row that a statement gives."""
        (found,) = self.rows(statement)
        return found


def can_be_sent(source: str) -> bool:
    """Whether statements are sent to the database that a URL names."""
    return _SCHEME.match(source) is not None


def dialect_of(source: str) -> str:
    """The dialect that a URL's database speaks; raises DatabaseError for one that nothing is sent to."""
    found = _SCHEME.match(source)
    if found is None:
        raise DatabaseError(
            f"{without_password(source)}: inside a database means inside PostgreSQL, DuckDB or SQLite: give a URL such "
            "as postgresql://user@host/shop, duckdb:///shop.duckdb or sqlite:///shop.db."
        )
    return "postgres" if found[1].startswith("postgres") else found[1]


@contextmanager
def transaction(
    source: str, *, told: Callable[[str], None] | None = None, ready: Callable[[], None] = lambda: None
) -> Iterator[Session]:
    """A session that is committed when the block ends well, after a call of `ready`, and leaves nothing otherwise."""
    dialect = dialect_of(source)
    if dialect == "postgres":
        with connected(source) as plain:
            connection = plain.execution_options(isolation_level="REPEATABLE READ", no_parameters=True)

            def ask(statement: str) -> list[Row]:
                found = connection.exec_driver_sql(statement)
                return [tuple(row) for row in found] if found.returns_rows else []

            def ask_some(statement: str, size: int) -> Iterator[list[Row]]:
                streamed = connection.execution_options(stream_results=True).exec_driver_sql(statement)
                while rows := streamed.fetchmany(size):
                    yield [tuple(row) for row in rows]

            with connection.begin():
                for setting in _SETTINGS:
                    ask(setting)
                yield Session(dialect, without_password(source), ask, told, ask_some)
                ready()
        return
    with _duckdb(source) if dialect == "duckdb" else _sqlite(source) as (fetch, fetch_some):
        fetch("BEGIN TRANSACTION")
        yield Session(dialect, source, fetch, told, fetch_some)
        ready()
        _commit(fetch)


def _commit(fetch: Callable[[str], list[Row]]) -> None:
    """Keep what a transaction of an embedded database has done."""
    fetch("COMMIT")


def file_of(source: str) -> Path:
    """The file of an embedded database, which must be there."""
    sent = sent_url(source)
    _, _, rest = sent.text.partition("://")
    file = Path(unquote(rest.removeprefix("/").partition("?")[0]))
    if not file.is_file():
        raise MissingFileError(sent.hide(str(MissingFileError.at(file))))
    return file


@contextmanager
def _duckdb(source: str) -> Iterator[tuple[Callable[[str], list[Row]], Callable[[str, int], Iterator[list[Row]]]]]:
    import duckdb

    file = file_of(source)
    try:
        settings = {**_ALONE, "threads": thread_count()}
        with ThreadPoolExecutor(1) as pool, duckdb.connect(str(file), config=settings) as database:

            def work(statement: str) -> list[Row]:
                found = database.execute(statement)
                return found.fetchall() if found.description else []

            def ask(work: Callable[[], Made]) -> Made:
                return heeding_interrupts(pool, work, database.interrupt)

            def some(statement: str, size: int) -> Iterator[list[Row]]:
                found = ask(lambda: database.execute(statement))
                while rows := ask(lambda: found.fetchmany(size)):
                    yield rows

            yield lambda statement: ask(lambda: work(statement)), some
    except duckdb.Error as error:
        raise _told(source, error) from error


@contextmanager
def _sqlite(source: str) -> Iterator[tuple[Callable[[str], list[Row]], Callable[[str, int], Iterator[list[Row]]]]]:
    import sqlite3

    file = file_of(source)
    try:
        database = sqlite3.connect(file, check_same_thread=False, isolation_level=None)
        database.execute("PRAGMA trusted_schema = OFF")
        database.create_function("key_hash", 2, _key_hash, deterministic=True)
        try:
            with ThreadPoolExecutor(1) as pool:

                def ask(work: Callable[[], Made]) -> Made:
                    return heeding_interrupts(pool, work, database.interrupt)

                def some(statement: str, size: int) -> Iterator[list[Row]]:
                    found = ask(lambda: database.execute(statement))
                    while rows := ask(lambda: found.fetchmany(size)):
                        yield rows

                yield lambda statement: ask(lambda: database.execute(statement).fetchall()), some
        finally:
            database.close()
    except sqlite3.Error as error:
        raise _told(source, error) from error


def _told(source: str, error: Exception) -> DatabaseError:
    """What a driver says, in one line, without the values of variables."""
    said = sent_url(source).hide(str(error).strip().splitlines()[0])
    if "disabled by configuration" in said:
        said += ". Nothing outside the database's own file is read: give Gauger the other files by their paths"
    return DatabaseError(f"{source}: {said}")


def _key_hash(text: str, seed: int) -> int:
    """A whole number of 64 bits for a key, as SQLite has none of its own."""
    digest = blake2b(f"{seed} {text}".encode(), digest_size=8).digest()
    return int.from_bytes(digest, "big", signed=True)


def heeding_interrupts(
    pool: ThreadPoolExecutor,
    work: Callable[[], Made],
    interrupt: Callable[[], None],
    tick: Callable[[], None] = lambda: None,
) -> Made:
    """What some work comes to; the main thread alone hears Ctrl-C, so that the work is done beside it."""
    future = pool.submit(work)
    try:
        while True:
            try:
                return future.result(timeout=_TICK)
            except TimeoutError:
                if future.done():
                    return future.result()
                tick()
    except KeyboardInterrupt:
        interrupt()
        raise


def read_duckdb(source: str, table: str | None, query: str | None, rules: ReadingRules) -> Readout:
    """A table or a query's result of a DuckDB file."""
    import duckdb

    refuse_both(table, query)
    if query is not None:
        refuse_other_than_select(query, "duckdb")
    quoted = ".".join('"' + part.replace('"', '""') + '"' for part in (table or "").split("."))
    statement = query if table is None else f"SELECT * FROM {quoted}"
    try:
        with duckdb.connect(str(file_of(source)), read_only=True, config=_ALONE) as database:
            if query is not None and [one.type for one in database.extract_statements(query)] != [
                duckdb.StatementType.SELECT
            ]:
                raise SettingError("a query must be exactly one SELECT. Nothing was sent to the database.")
            found = database.sql(str(statement)).to_arrow_table()
    except duckdb.Error as error:
        raise _told(source, error) from error
    return apply_rules(found, rules, iso_dates=True), []
