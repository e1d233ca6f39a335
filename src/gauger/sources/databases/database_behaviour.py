"""From a database's table of events to a table of behaviour, inside the database."""

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from secrets import token_hex
from typing import Any, Literal

from gauger.errors import ColumnValuesError, DatabaseError, KeyColumnError, MissingValuesError, SettingError
from gauger.features import (
    CUSTOMERS,
    EVENTS,
    JOINED,
    LOOKUP,
    ROWS,
    Behaviour,
    EventColumns,
    EventSummary,
    RowsOf,
    behaviour_of,
    in_dialect,
    joined_sql,
    lookup_columns,
    narrowed_events,
    no_events,
    refuse_repeated_lookup,
)
from gauger.progress import task
from gauger.remarks import Remark
from gauger.sources.databases.relations import DATE, NUMBERS, Relation, relation_of
from gauger.sources.databases.table_replacing import refuse_taken
from gauger.sources.databases.table_writing import make_table, say_what_it_is
from gauger.tables import Mark, Session, new_name, sql_name
from gauger.wording import Noun, plural


@dataclass(frozen=True, eq=False)
class _Events:
    """Events in a database, seen there under one name."""

    session: Session
    columns: EventColumns
    names: list[str]
    rows: int
    first: datetime.datetime
    last: datetime.datetime
    since: datetime.datetime | None = None
    remarks: tuple[Remark, ...] = ()

    def rows_of(self, sql: str) -> list[tuple[Any, ...]]:
        return _rows_of(self.session, sql)

    def values(self, sql: str) -> list[object]:
        return [row[0] for row in self.rows_of(sql)]

    def count(self, rows: str) -> int:
        (counted,) = self.values(f"SELECT count(*) FROM ({rows}) AS counted")
        return int(str(counted))

    def repeated(self, columns: Sequence[str] | None = None) -> int:
        names = ", ".join(map(sql_name, columns or self.names))
        return self.rows - self.count(f"SELECT DISTINCT {names} FROM {EVENTS}")


def _rows_of(session: Session, statement: str) -> list[tuple[Any, ...]]:
    return session.rows(_in_its_words(session, statement))


def _in_its_words(session: Session, statement: str) -> str:
    """A statement in DuckDB's words as the session's database takes it."""
    return in_dialect(statement, session.dialect).rstrip().rstrip(";")


def summarise_there(
    session: Session, relation: Relation, asked: EventSummary, into: str, *, replace: bool
) -> Behaviour:
    """Summarise a table of events to one row per customer, inside the database, into another table there."""
    if session.dialect == "sqlite":
        raise DatabaseError(
            f"{session.shown}: SQLite has no dates to count days between. Read the events and summarise them "
            "in memory: summarise_events(read_table(url, table=…), …)."
        )
    if asked.customers is not None and not isinstance(asked.customers, str):
        raise SettingError("customers= of events in a database is the name of a table there.")
    columns, name = asked.columns, new_name(into)
    customers = None if asked.customers is None else relation_of(session, asked.customers)
    refuse_taken(session, [name], [one for one in (relation, customers) if one is not None], replace=replace)
    with task("summarising events"):
        if customers is not None:
            customers.refuse_lacking([columns.customer])
            _see_as(session, customers, CUSTOMERS)
        source = _events(session, relation, asked)
        statement, told = behaviour_of(source, asked)
        make_table(session, name, _in_its_words(session, statement))
        noun = Noun.of_key(columns.customer)
        say = f"Gauger: behaviour of {noun.many} from {relation.name.typed}, as of {told.facts['as_of']}"
        say_what_it_is(session, {name: say}, Mark("", token_hex(16)))
        (rows,) = session.row(f"SELECT COUNT(*) FROM {name.sql}")
        made = tuple(relation_of(session, into).kinds)
        lookup = [] if asked.scope.lookup is None else [LOOKUP]
        for seen in (EVENTS, JOINED, ROWS, *lookup, *([CUSTOMERS] if customers is not None else [])):
            session.rows(f"DROP VIEW {seen}")
    return told.written(into, made, int(rows))


def _see_as(session: Session, relation: Relation, name: str) -> None:
    """See a table under a name of ours, in this session alone."""
    source = relation.sql
    if session.dialect == "duckdb":
        database, schema = session.row("SELECT current_database(), current_schema()")
        source = ".".join(map(sql_name, (database, relation.name.schema or schema, relation.name.name)))
    session.rows(f"CREATE TEMPORARY VIEW {name} AS SELECT * FROM {source}")


def _events(session: Session, relation: Relation, asked: EventSummary) -> _Events:
    """The events that count, once all rows are checked."""
    columns, scope = asked.columns, asked.scope
    kinds = dict(relation.kinds)
    added: list[str] = []
    rows_of = partial(_rows_of, session)
    _see_as(session, relation, ROWS)
    if scope.on is not None:
        if not isinstance(scope.lookup, str):
            raise SettingError("lookup= of events in a database is the name of a table there.")
        there = relation_of(session, scope.lookup)
        there.refuse_lacking([scope.on])
        relation.refuse_lacking([scope.on])
        _see_as(session, there, LOOKUP)
        refuse_repeated_lookup(rows_of, scope.on)
        added = lookup_columns(list(kinds), list(there.kinds), scope.on)
        kinds |= {name: there.kinds[name] for name in added}
    relation.refuse_lacking([one for one in columns.named.values() if one not in added])
    _refuse_kinds(columns, kinds)
    zoned: Literal["moment"] | None = "moment" if scope.zone is not None and _has_zone(session, columns.when) else None
    _see(session, joined_sql(list(relation.kinds), scope, columns.when, added, zoned), JOINED)
    _refuse_gaps(rows_of, asked)
    narrowed = narrowed_events(asked, rows_of, lambda statement, name: _see(session, statement, name))
    names = [*relation.kinds, *added]
    return _Events(
        session, columns, names, narrowed.rows, narrowed.first, narrowed.last, narrowed.since, narrowed.remarks
    )


def _see(session: Session, statement: str, name: str) -> None:
    """See a statement in DuckDB's words under a name of ours, in this session alone."""
    session.rows(f"CREATE TEMPORARY VIEW {name} AS {_in_its_words(session, statement)}")


def _has_zone(session: Session, when: str) -> bool:
    """Whether the moments carry a time zone."""
    kind = "typeof" if session.dialect == "duckdb" else "pg_typeof"
    found = session.rows(f"SELECT CAST({kind}({sql_name(when)}) AS TEXT) FROM {ROWS} LIMIT 1")
    return bool(found) and "with time zone" in str(found[0][0]).lower()


def _refuse_kinds(columns: EventColumns, kinds: Mapping[str, str]) -> None:
    if kinds[columns.when] != DATE:
        raise ColumnValuesError(
            f"{columns.when!r} holds no dates in the database. Name another column, or make a view in which it is one."
        )
    for one in (columns.amount, columns.quantity):
        if one is not None and kinds[one] not in NUMBERS:
            raise ColumnValuesError(f"{one!r} holds no numbers in the database. Name another column.")


def _refuse_gaps(rows_of: RowsOf, asked: EventSummary) -> None:
    """Raise for a table without rows, and for events without a customer, a moment, an amount or a quantity."""
    columns = asked.columns
    needed = [columns.customer, columns.when, *(one for one in (columns.amount, columns.quantity) if one is not None)]
    counts = ", ".join(f"COUNT({sql_name(one)})" for one in needed)
    ((rows, *known),) = rows_of(f"SELECT COUNT(*), {counts} FROM {JOINED}")
    if not rows:
        raise no_events()
    for one, count in zip(needed, known, strict=True):
        gaps = int(rows) - int(count)
        if gaps and one == columns.customer and asked.scope.without_customer == "refuse":
            raise KeyColumnError.events_without(one, [], gaps)
        if gaps and one != columns.customer:
            raise MissingValuesError(
                f"{one!r} is missing in {gaps:,} {plural(gaps, 'event')}. Fill it in, or leave them out (a view)."
            )
