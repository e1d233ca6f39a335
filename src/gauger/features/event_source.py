"""Where events come from (a DataFrame, a csv or a Parquet file) as one DuckDB relation, checked before it is used."""

import datetime
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from functools import partial
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, Protocol

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
from pandas.api import types

from gauger.algorithms import thread_count
from gauger.columns import AnyTable, checked_table, is_table, refuse_missing_key, whole_table
from gauger.errors import (
    KeyColumnError,
    OutputError,
    SettingError,
    TableFileError,
    UnknownColumnError,
)
from gauger.features.event_checks import check_events, column_types, is_number
from gauger.features.event_columns import EventColumns
from gauger.features.event_narrowing import narrowed_events
from gauger.features.event_scope import (
    CUSTOMERS,
    EVENTS,
    JOINED,
    LOOKUP,
    ROWS,
    about_zone,
    is_zoned,
    joined_sql,
    lookup_columns,
    refuse_repeated_lookup,
)
from gauger.features.event_sql import EventSummary
from gauger.features.query import run_query
from gauger.progress import task
from gauger.remarks import Remark, remarks_of
from gauger.tables import FileBlocks, InferredKinds, Source, files_of, is_url, read_table, sql_name, sql_text
from gauger.wording import listed

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

_MEMORY = "1200MB"


class EventRows(Protocol):
    """Events in some database, as `events` there, with what was found out about them; and perhaps `customers`."""

    @property
    def columns(self) -> EventColumns:
        """Which column says what."""

    @property
    def rows(self) -> int:
        """How many there are."""

    @property
    def first(self) -> datetime.datetime:
        """When the first happened."""

    @property
    def last(self) -> datetime.datetime:
        """When the last happened."""

    @property
    def since(self) -> datetime.datetime | None:
        """From when they count, where that was said."""

    @property
    def remarks(self) -> tuple[Remark, ...]:
        """What there is to say of where they come from."""

    @property
    def names(self) -> list[str]:
        """Every column of the events."""

    def values(self, sql: str) -> list[object]:
        """The first column of what a statement in DuckDB's words gives."""

    def rows_of(self, sql: str) -> list[tuple[Any, ...]]:
        """What a statement gives, row by row."""

    def count(self, rows: str) -> int:
        """How many rows a statement gives."""

    def repeated(self, columns: Sequence[str] | None = None) -> int:
        """How many events are alike an earlier one in some columns, by default in every one."""


@dataclass(frozen=True)
class EventSource:
    """A connection that holds `events` (and `customers`), and what was found out about them."""

    database: "DuckDBPyConnection"
    columns: EventColumns
    rows: int
    first: datetime.datetime
    last: datetime.datetime
    since: datetime.datetime | None = None
    remarks: tuple[Remark, ...] = ()

    @property
    def names(self) -> list[str]:
        """Every column of the events."""
        return list(column_types(self.database, EVENTS))

    def values(self, sql: str) -> list[object]:
        """The first column of what a statement gives."""
        return [row[0] for row in self.rows_of(sql)]

    def rows_of(self, sql: str) -> list[tuple[Any, ...]]:
        """What a statement gives, row by row."""
        return _rows_of(self.database, sql)

    def count(self, rows: str) -> int:
        """How many rows a statement gives."""
        (counted,) = self.values(f"SELECT count(*) FROM ({rows})")
        assert isinstance(counted, int)
        return counted

    def repeated(self, columns: Sequence[str] | None = None) -> int:
        """How many events are alike an earlier one in some columns, by default in every one."""
        names = ", ".join(map(sql_name, columns or self.names))
        hashes = run_query(self.database, f"SELECT hash({names}) FROM {EVENTS}", "looking for repeats").column(0)
        marks = np.concatenate([chunk.to_numpy() for chunk in hashes.chunks])
        del hashes
        marks.sort()
        return int(np.count_nonzero(marks[1:] == marks[:-1]))


def _rows_of(database: "DuckDBPyConnection", sql: str) -> list[tuple[Any, ...]]:
    found = run_query(database, sql, "looking at the events")
    return list(zip(*(column.to_pylist() for column in found.columns), strict=True))


@contextmanager
def event_source(given: AnyTable | Source, asked: EventSummary, memory: str | None = None) -> Iterator[EventSource]:
    """Connect the events and refuse what cannot be summarised: unknown columns, gaps, values of the wrong kind."""
    import duckdb  # a quarter of a second that only events cost

    events: pd.DataFrame | Source = whole_table(given) if is_table(given) else given  # type: ignore[assignment]
    with tempfile.TemporaryDirectory(prefix="gauger-events-") as spill:
        settings: dict[str, str | bool | int | float | list[str]] = {
            "temp_directory": spill,
            "threads": thread_count(),
        }
        if not isinstance(events, pd.DataFrame):
            settings["memory_limit"] = memory or _MEMORY
        with _opened(settings, memory) as database:
            with suppress(duckdb.InvalidInputException):  # a notebook without ipywidgets has no progress of queries
                database.execute("SET enable_progress_bar = true")
                database.execute("SET enable_progress_bar_print = false")  # it would be drawn among the results
            source = _connected(database, events, asked, Path(spill))
            try:
                yield source
            except duckdb.OutOfMemoryException as error:
                limit = settings.get("memory_limit", "there is")
                raise OutputError(
                    f"the events need more than {limit} of memory, or more room than there is in "
                    f"{tempfile.gettempdir()}: allow more (Execution(memory=…), --memory), make room there, or name "
                    "another place in the environment variable TMPDIR."
                ) from error
            except duckdb.Error as error:
                if isinstance(events, pd.DataFrame):
                    raise
                raise TableFileError.damaged(Path(_called(events)), error) from error


def _opened(settings: dict[str, Any], memory: str | None) -> "DuckDBPyConnection":
    """A database of these settings; raises SettingError for an amount of memory that is none."""
    import duckdb

    try:
        return duckdb.connect(config=settings)
    except duckdb.Error as error:
        if memory is None:
            raise
        raise SettingError(f"memory={memory!r} must be an amount such as '2GB' or '800MB'.") from error


def _called(events: pd.DataFrame | Source) -> str:
    if isinstance(events, (str, PathLike)):
        return str(events)
    return "the events' files"


def _connected(
    database: "DuckDBPyConnection", events: pd.DataFrame | Source, asked: EventSummary, spill: Path
) -> EventSource:
    import duckdb

    if isinstance(events, pd.DataFrame):
        database.register(ROWS, _as_arrow(events, asked))
        return _within_scope(database, asked)
    several = isinstance(events, (list, tuple)) and all(isinstance(one, (str, PathLike)) for one in events)
    if not isinstance(events, (str, PathLike)) and not several:
        raise SettingError(f"events must be a table or the path of a file, not {type(events).__name__}.")
    if isinstance(events, str) and is_url(events):
        raise SettingError(
            "events in a database are summarised there: summarise_events(open_table(url, table='…'), …, into='…'); or "
            "read first (read_table)."
        )
    files = [FileBlocks(file) for file in files_of(events)]
    _refuse_other_columns(files)
    if all(one.is_parquet for one in files) and not any(_has_zones(one.file) for one in files):
        try:
            listed = ", ".join(sql_text(str(one.file)) for one in files)
            database.execute(f"CREATE VIEW {ROWS} AS SELECT * FROM read_parquet([{listed}])")
            return _within_scope(database, asked)
        except duckdb.Error:
            database.execute(f"DROP VIEW IF EXISTS {ROWS}")
    elif all(one.is_delimited for one in files):
        relation = f"read_parquet({sql_text(str(_typed_copy(files, spill)))})"
        database.execute(f"CREATE VIEW {ROWS} AS SELECT * FROM {relation}")
        remarks = [remark for one in files for remark in one.remarks]
        source = _within_scope(database, asked)
        return replace(source, remarks=(*remarks, *source.remarks))
    # What DuckDB's reader cannot take, ours explain, or read after all.
    tables = [read_table(one.file) for one in files]
    table = tables[0] if len(tables) == 1 else pd.concat(tables, ignore_index=True)
    database.register(ROWS, _as_arrow(table, asked))
    source = _within_scope(database, asked)
    return replace(source, remarks=(*(remark for one in tables for remark in remarks_of(one)), *source.remarks))


def _refuse_other_columns(files: Sequence[FileBlocks]) -> None:
    """Raise TableFileError unless every file of events has the columns of the first."""
    for one in files[1:]:
        if set(one.names) != set(files[0].names):
            odd = sorted(set(one.names) ^ set(files[0].names))
            raise TableFileError(
                f"{one.file} and {files[0].file} differ in their columns: {listed(map(repr, odd))}. Events are read "
                "from files that are alike."
            )


def _typed_copy(files: Sequence[FileBlocks], spill: Path) -> Path:
    """Delimited files as Parquet, every column as what all of its values are; read twice, in constant memory."""
    kinds, writer = InferredKinds(), None
    copy, names = spill / "events.parquet", files[0].names
    with task(f"reading {files[0].file.name}{' and more' if len(files) > 1 else ''}"):
        for one in files:
            for block in one.of(names):
                kinds.add(block)
        for one in files:
            for block in one.of(names):
                typed = kinds.apply(block)
                writer = writer or pq.ParquetWriter(copy, typed.schema)
                writer.write_table(typed)
    if writer is None:
        raise TableFileError(f"{files[0].file} has a header but no rows. Check the export that made it.")
    writer.close()
    return copy


def _has_zones(file: Path) -> bool:
    """Whether a Parquet file holds moments with a time zone, whose own zone DuckDB's reader does not keep."""
    return any(pa.types.is_timestamp(kind) and kind.tz is not None for kind in pq.read_schema(file).types)


def _is_in_utc(values: pd.Series, column: str, columns: EventColumns) -> bool:
    """Whether a column of events' moments is in UTC, so that the zone of their days is to be said."""
    return column == columns.when and str(values.dt.tz) in ("UTC", "utc")


def _as_arrow(events: pd.DataFrame, asked: EventSummary) -> pa.Table:
    columns, zone = asked.columns, asked.scope.zone
    events = checked_table(events, [] if asked.scope.lookup is not None else columns.named.values())
    arrays = {}
    for column in events.columns:
        values = events[column]
        if (
            types.is_datetime64_any_dtype(values)
            and values.dt.tz is not None
            and not _is_in_utc(values, column, columns)
        ):
            values = (values if zone is None else values.dt.tz_convert(zone)).dt.tz_localize(None)
        try:
            arrays[column] = pa.array(values, from_pandas=True)
        except (pa.ArrowInvalid, pa.ArrowTypeError) as error:
            if column == columns.customer:
                raise KeyColumnError(
                    f"{column!r} mixes kinds of values, such as text and numbers. Make it one kind: "
                    f"table[{column!r}].astype(str)."
                ) from error
            arrays[column] = pa.array(values.map(str, na_action="ignore"), pa.string(), from_pandas=True)
    return pa.table(arrays)


def _within_scope(database: "DuckDBPyConnection", asked: EventSummary) -> EventSource:
    """The events that count, once all rows are checked."""
    columns, scope = asked.columns, asked.scope
    if asked.customers is not None:
        _connect_customers(database, columns.customer, asked.customers)
    kinds = column_types(database, ROWS)
    rows_of = partial(_rows_of, database)
    added: list[str] = []
    if scope.on is not None:
        added = _connect_lookup(database, scope.on, scope.lookup, kinds)
        refuse_repeated_lookup(rows_of, scope.on)
    told: list[Remark] = []
    zoned: Literal["text", "moment"] | None = None
    if kinds.get(columns.when) == "VARCHAR" and is_zoned(rows_of, columns.when):
        zoned = "text"
    elif kinds.get(columns.when) == "TIMESTAMP WITH TIME ZONE":
        zoned = "moment"
    if zoned is not None:
        database.execute(f"SET TimeZone = {sql_text(scope.zone or 'UTC')}")
        told += about_zone(scope, columns.when)
    joined = joined_sql(list(kinds), scope, columns.when, added, zoned)
    database.execute(f"CREATE VIEW {JOINED} AS {joined}")
    check_events(database, asked)
    narrowed = narrowed_events(
        asked, rows_of, lambda statement, name: database.execute(f"CREATE VIEW {name} AS {statement}")
    )
    remarks = (*told, *narrowed.remarks)
    return EventSource(database, columns, narrowed.rows, narrowed.first, narrowed.last, narrowed.since, remarks)


def _connect_lookup(database: "DuckDBPyConnection", on: str, lookup: object, kinds: Mapping[str, str]) -> list[str]:
    """See the lookup, and give the columns that it adds."""
    table = checked_table(lookup if is_table(lookup) else read_table(lookup), [on])  # type: ignore[arg-type]
    if on not in kinds:
        raise UnknownColumnError.among([on], list(kinds))
    database.register(LOOKUP, pa.Table.from_pandas(table, preserve_index=False))
    theirs = column_types(database, LOOKUP)
    _refuse_other_kind(on, theirs[on], kinds[on], "the lookup")
    return lookup_columns(list(kinds), list(theirs), on)


def _connect_customers(database: "DuckDBPyConnection", key: str, customers: AnyTable) -> None:
    customers = checked_table(customers, [key])
    refuse_missing_key(customers[key])
    database.register(CUSTOMERS, pa.table({key: pa.array(customers[key], from_pandas=True)}))
    ours = column_types(database, ROWS)
    if key in ours:
        _refuse_other_kind(key, column_types(database, CUSTOMERS)[key], ours[key], "the customers' table")


def _refuse_other_kind(key: str, theirs: str, ours: str, table: str) -> None:
    """Raise KeyColumnError where one table has numbers in a column and the events have text."""
    if is_number(theirs) != is_number(ours):
        words = ["numbers" if is_number(kind) else "text" for kind in (theirs, ours)]
        raise KeyColumnError(
            f"{key!r} is {words[0]} in {table} but {words[1]} in the events, so none would match. Read "
            f"both alike: read_table(…, as_text=[{key!r}]) (on the command line: --as-text {key})."
        )
