"""From a database's table of events to a table of behaviour, inside the database."""

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from secrets import token_hex
from typing import Any

from gauger.errors import ColumnValuesError, DatabaseError, KeyColumnError, MissingValuesError, SettingError
from gauger.features import (
    CUSTOMERS,
    EVENTS,
    Behaviour,
    EventColumns,
    EventSummary,
    behaviour_of,
    in_dialect,
    no_events,
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
    rows: int
    first: datetime.datetime
    last: datetime.datetime
    names: list[str]
    remarks: tuple[Remark, ...] = ()

    def rows_of(self, sql: str) -> list[tuple[Any, ...]]:
        return self.session.rows(in_dialect(sql, self.session.dialect).rstrip().rstrip(";"))

    def values(self, sql: str) -> list[object]:
        return [row[0] for row in self.rows_of(sql)]

    def count(self, rows: str) -> int:
        (counted,) = self.values(f"SELECT count(*) FROM ({rows}) AS counted")
        return int(str(counted))

    def repeated(self, columns: Sequence[str] | None = None) -> int:
        names = ", ".join(map(sql_name, columns or self.names))
        return self.rows - self.count(f"SELECT DISTINCT {names} FROM {EVENTS}")


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
        source = _events(session, relation, columns)
        if customers is not None:
            customers.refuse_lacking([columns.customer])
            _see_as(session, customers, CUSTOMERS)
        statement, told = behaviour_of(source, asked)
        make_table(session, name, in_dialect(statement, session.dialect).rstrip().rstrip(";"))
        noun = Noun.of_key(columns.customer)
        say = f"Gauger: behaviour of {noun.many} from {relation.name.typed}, as of {told.facts['as_of']}"
        say_what_it_is(session, {name: say}, Mark("", token_hex(16)))
        (rows,) = session.row(f"SELECT COUNT(*) FROM {name.sql}")
        made = tuple(relation_of(session, into).kinds)
        for seen in (EVENTS, *([CUSTOMERS] if customers is not None else [])):
            session.rows(f"DROP VIEW {seen}")
    return told.written(into, made, int(rows))


def _see_as(session: Session, relation: Relation, name: str) -> None:
    """See a table under a name of ours, in this session alone."""
    source = relation.sql
    if session.dialect == "duckdb":
        database, schema = session.row("SELECT current_database(), current_schema()")
        source = ".".join(map(sql_name, (database, relation.name.schema or schema, relation.name.name)))
    session.rows(f"CREATE TEMPORARY VIEW {name} AS SELECT * FROM {source}")


def _events(session: Session, relation: Relation, columns: EventColumns) -> _Events:
    """The events, checked."""
    named = columns.named
    relation.refuse_lacking(list(named.values()))
    if relation.kinds[columns.when] != DATE:
        raise ColumnValuesError(
            f"{columns.when!r} holds no dates in the database. Name another column, or make a view in which it is one."
        )
    numbers = [one for one in (columns.amount, columns.quantity) if one is not None]
    for one in numbers:
        if relation.kinds[one] not in NUMBERS:
            raise ColumnValuesError(f"{one!r} holds no numbers in the database. Name another column.")
    _see_as(session, relation, EVENTS)
    when = f"CAST({sql_name(columns.when)} AS TIMESTAMP)"
    needed = [columns.customer, columns.when, *numbers]
    asked = [f"MIN({when})", f"MAX({when})", *(f"COUNT({sql_name(one)})" for one in needed)]
    rows, first, last, *known = session.row(f"SELECT COUNT(*), {', '.join(asked)} FROM {EVENTS}")
    if not rows:
        raise no_events()
    for one, count in zip(needed, known, strict=True):
        gaps = int(rows) - int(count)
        if gaps and one == columns.customer:
            raise KeyColumnError(
                f"{one!r} is missing in {gaps:,} {plural(gaps, 'event')}: nobody knows whose they are."
            )
        if gaps:
            raise MissingValuesError(
                f"{one!r} is missing in {gaps:,} {plural(gaps, 'event')}. Fill it in, or leave them out (a view)."
            )
    return _Events(session, columns, int(rows), first, last, list(relation.kinds))
