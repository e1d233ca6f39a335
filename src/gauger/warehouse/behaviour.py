"""From a database's table of events to a table of behaviour, inside the database."""

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from secrets import token_hex
from typing import Any

import pandas as pd

from gauger.errors import ColumnValuesError, DatabaseError, KeyColumnError, MissingValuesError, SettingError
from gauger.features import CUSTOMERS, EVENTS, EventColumns, behaviour_of, in_dialect, nouns_of
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.tables import Mark, Session, approve_typed, new_name, sql_name, transaction
from gauger.warehouse.relations import DATE, NUMBERS, Relation, relation_of
from gauger.warehouse.replacing import refuse_taken
from gauger.warehouse.writing import make_table, say_what_it_is
from gauger.wording import Noun, plural


@dataclass(frozen=True, repr=False, eq=False)
class DatabaseBehaviour(Readable):
    """What `summarise_in_database` did.

    Attributes
    ----------
    into : str
        The table that was made: a row a customer.
    customers : int
        How many customers it has.
    columns : tuple of str
        Its columns.
    facts : mapping
        rows, lines, events, and the first day and the day as of which events were counted.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    summarise_in_database : Makes one.

    Examples
    --------
    >>> import duckdb, gauger, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     shop = duckdb.connect(f"{folder}/shop.duckdb")
    ...     days = "SELECT i % 4 AS who, DATE '2025-03-01' + CAST(i AS INTEGER) AS day FROM range(9) AS t(i)"
    ...     _ = shop.sql(f"CREATE TABLE visits AS {days}")
    ...     shop.close()
    ...     url = f"duckdb:///{folder}/shop.duckdb"
    ...     made = gauger.summarise_in_database(url, table="visits", into="behaviour", customer="who", when="day")
    >>> made.customers, made.facts["events"], made.columns[:3]
    (4, 9, ('who', 'recency_days', 'visits'))
    """

    into: str
    customers: int
    columns: tuple[str, ...]
    facts: Mapping[str, Any] = field(default_factory=dict)
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        return f"{self.facts['events']:,} events of {self.customers:,} customers, in table {self.into}"

    def overview(self) -> pd.DataFrame:
        return pd.DataFrame({"column": self.columns}).set_index("column")


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


def summarise_in_database(
    url: str,
    *,
    table: str,
    into: str,
    customer: str,
    when: str,
    amount: str | None = None,
    quantity: str | None = None,
    category: str | None = None,
    event_key: str | None = None,
    measures: Sequence[str] | str | None = None,
    customers: str | None = None,
    as_of: str | datetime.date | None = None,
    event_noun: str = "visits",
    amount_noun: str = "spend",
    quantity_noun: str | None = None,
    category_noun: str | None = None,
    replace: bool = False,
) -> DatabaseBehaviour:
    """Summarise a table of events to one row a customer, inside the database, into another table there.

    Parameters
    ----------
    url : str
        A PostgreSQL or DuckDB, as for `segment_in_database`.
    table : str
        The table or view with a row an event.
    into : str
        The table that is made.
    customer, when, amount, quantity, category, event_key : str, optional
        Columns, as for `summarise_events`; `when` holds dates, amounts and quantities are numbers.
    measures : sequence of str or "all", optional
        As for `summarise_events`.
    customers : str, optional
        A table there with all customers: those without an event come out too.
    as_of, event_noun, amount_noun, quantity_noun, category_noun : optional
        As for `summarise_events`.
    replace : bool
        Whether a table that is there may be replaced.

    Returns
    -------
    DatabaseBehaviour
        The table that was made, and what there is to say of the events.

    Raises
    ------
    DatabaseError, UnknownTableError, UnknownColumnError
        As `segment_in_database` does; and for a database that is neither.
    KeyColumnError, ColumnValuesError, MissingValuesError, SettingError
        As `summarise_events` does.

    Examples
    --------
    >>> import duckdb, gauger, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     shop = duckdb.connect(f"{folder}/shop.duckdb")
    ...     days = "SELECT i % 4 AS who, DATE '2025-03-01' + CAST(i AS INTEGER) AS day FROM range(9) AS t(i)"
    ...     _ = shop.sql(f"CREATE TABLE visits AS {days}")
    ...     shop.close()
    ...     url = f"duckdb:///{folder}/shop.duckdb"
    ...     _ = gauger.summarise_in_database(url, table="visits", into="behaviour", customer="who", when="day")
    ...     gauger.read_table(url, table="behaviour").sort_values("who")["visits"].tolist()
    [3, 2, 2, 2]
    """
    approve_typed(url)
    columns = EventColumns(customer, when, amount, quantity, category, event_key)
    nouns = nouns_of(columns, event_noun, amount_noun, quantity_noun, category_noun)
    name = new_name(into)
    with transaction(url) as session, task("summarising events"):
        if session.dialect == "sqlite":
            raise DatabaseError(
                f"{session.shown}: SQLite has no dates to count days between. Read the events and summarise them here: "
                "summarise_events(read_table(url, table=…), …)."
            )
        relation = relation_of(session, table)
        there = None if customers is None else relation_of(session, customers)
        refuse_taken(session, [name], [one for one in (relation, there) if one is not None], replace=replace)
        source = _events(session, relation, columns)
        if there is not None:
            there.refuse_lacking([customer])
            _see_as(session, there, CUSTOMERS)
        statement, told = behaviour_of(source, nouns, measures, as_of, with_customers=customers is not None)
        make_table(session, name, in_dialect(statement, session.dialect).rstrip().rstrip(";"))
        say = (
            f"Gauger: behaviour of {Noun.of_key(customer).many} from {relation.name.typed}, as of {told.facts['as_of']}"
        )
        say_what_it_is(session, {name: say}, Mark("", token_hex(16)))
        (rows,) = session.row(f"SELECT COUNT(*) FROM {name.sql}")
        made = tuple(relation_of(session, into).kinds)
        for seen in (EVENTS, *([CUSTOMERS] if customers is not None else [])):
            session.rows(f"DROP VIEW {seen}")
    return DatabaseBehaviour(into, int(rows), made, told.facts, told.remarks)


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
        raise SettingError("there are no events to summarise: the table has no rows.")
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
