"""Summarise events (visits, orders, calls) to one row a customer, by one SQL statement."""

import datetime
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from os import PathLike
from pathlib import Path
from typing import Any, Unpack, overload

import pandas as pd

from gauger.columns import MOST_LEVELS, AnyTable, OpenTable, to_pandas
from gauger.errors import SettingError
from gauger.features.event_columns import EventColumns
from gauger.features.event_lines import about_lines
from gauger.features.event_scope import CUSTOMERS, EVENTS, EventScope, narrowing_sql
from gauger.features.event_source import EventRows, EventSource, event_source
from gauger.features.event_sql import EventSettings, EventSummary, behaviour_sql, in_dialect
from gauger.features.measures import Catalogue, Period
from gauger.features.query import run_query
from gauger.readable import Readable
from gauger.remarks import Remark, attach_remarks
from gauger.tables import Source, sql_moment, sql_name, sql_text
from gauger.wording import Noun, plural

Events = AnyTable | Source


@overload
def summarise_events(
    events: Events | OpenTable,
    columns: EventColumns | None = None,
    *,
    measures: Sequence[str] | str | None = None,
    customers: AnyTable | str | None = None,
    as_of: str | datetime.date | None = None,
    into: None = None,
    **named: Unpack[EventSettings],
) -> pd.DataFrame: ...


@overload
def summarise_events(
    events: Events | OpenTable,
    columns: EventColumns | None = None,
    *,
    measures: Sequence[str] | str | None = None,
    customers: AnyTable | str | None = None,
    as_of: str | datetime.date | None = None,
    into: str | PathLike[str],
    replace: bool = False,
    **named: Unpack[EventSettings],
) -> "Behaviour": ...


def summarise_events(
    events: Events | OpenTable,
    columns: EventColumns | None = None,
    *,
    measures: Sequence[str] | str | None = None,
    customers: AnyTable | str | None = None,
    as_of: str | datetime.date | None = None,
    into: str | PathLike[str] | None = None,
    replace: bool = False,
    **named: Unpack[EventSettings],
) -> Any:
    """Summarise events to one row per customer: how recently, how often, how regularly, for how much, and of what.

    Parameters
    ----------
    events : pandas.DataFrame, another table, OpenTable, str, path-like or sequence of them
        One row per event; or the path of a csv or Parquet file, a folder of such files, a pattern such as
        `visits/*.parquet`, or a list, which may be larger than memory. Events in a database (`open_table`) are
        summarised there, into another table: in PostgreSQL and DuckDB, for SQLite has no dates.
    columns : EventColumns, optional
        What the columns mean. Or name them one by one: `customer="who", when="day", amount="paid"`.
    measures : sequence of str or "all", optional
        Measures by name or by family (`share_kind`, `share_weekday`, `share_part_of_day`, and with `spend_`); by
        default those with (*) below.
    customers : pandas.DataFrame, another table or str, optional
        A table with the same key column, of events in a database the name of a table there: who has no event comes out
        too, with a `recency_days` of the whole period, no `first_seen`, no gaps, and 0 for the rest.
    as_of : str or datetime.date, optional
        A moment: only what happened before it counts. By default the start of the day after the last event.
    into : str or path-like, optional
        Of an OpenTable: the table that is made in the database, or the .parquet file.
    replace : bool
        Whether a table or file that is there, and that Gauger made, may be replaced.
    **named
        The settings of `EventColumns`, one by one; and of `EventScope`, which say what counts: `since` or `window`
        (from when), `zone` (whose days), `without_customer="drop"`, `only_customers`, and a `lookup` table with the
        column that it is joined `on`, many to one.

    Returns
    -------
    pandas.DataFrame or Behaviour
        One row per customer, sorted by customer; with `into`, what was written there. `.attrs` holds first (the day of
        the first event), as_of, rows (looked at), lines and events (how many lines made how many events);
        `remarks_of(result)` the cautions.

    Raises
    ------
    UnknownColumnError
        For a column that is not there.
    KeyColumnError
        For events without a customer, unless they are to be dropped, and a lookup with several rows for one value.
    MissingValuesError
        For missing dates, amounts or quantities.
    ColumnValuesError
        For dates or numbers that are none.
    SettingError
        For an unknown measure, a category of more than 60 levels, and when nothing happened before `as_of`.

    Notes
    -----
    The measures:

    - `recency_days` (*): whole days from the last event to `as_of`; `tenure_days` from the first; `first_seen` (*): its
      day,
    - `visits` (*): number of events; `active_days` (*): number of different days; `visits_trend`: events in the second
      half of the period (first event of all, or `since`, to `as_of`) less those in the first, over their sum, from -1
      to 1,
    - `gap_days_mean`, `gap_days_spread`: mean and standard deviation of the days between active days; missing for
      customers with one,
    - with `amount`: `spend_total` (*), `spend_mean` (*) (total over events), `spend_median`, `spend_largest`,
      `spend_trend`; `refunds` (*), `spend_refunded`: events of negative amount are refunds; they lower the total and
      are counted here, not among the visits,
    - with `quantity`: its total (*) and its mean (*) over events, named after the column,
    - with `category`: `share_kind_…` (*), a column a level with its share of the customer's events,
      `spend_share_kind_…`, its share of the spend, and `distinct_kind` (*), how many levels the customer chose; events
      without a category are in no share (of the lines, where an `event_key` says which rows are one event),
    - `share_monday` … `share_sunday`, `share_night`, `share_morning`, `share_afternoon`, `share_evening` (from 0, 6, 12
      and 18 o'clock), and the same with `spend_share_…`.

    Sums are exact in decimals of 1e-9, so the same events give the same bits in any order.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> visits = pd.DataFrame({"who": ["b", "a", "a"], "day": ["2025-03-01", "2025-03-04", "2025-03-09"]})
    >>> gauger.summarise_events(visits, customer="who", when="day")[["who", "recency_days", "visits"]].values.tolist()
    [['a', 1, 2], ['b', 9, 1]]
    """
    asked = EventSummary.given(columns, named, measures, customers, as_of)
    if isinstance(events, OpenTable):
        return events.summarised(asked, None if into is None else str(into), replace=replace)
    if into is not None:
        raise SettingError("into= is for events that stay where they live (open_table); write_table writes a result.")
    return behaviour_in_memory(events, asked)


def behaviour_in_memory(events: Events, asked: EventSummary, memory: str | None = None) -> pd.DataFrame:
    """One row per customer, as `summarise_events` says."""
    with _summarised(events, asked, memory) as (source, statement, told):
        result = to_pandas(run_query(source.database, statement, "summarising events"))
    result.attrs |= told.facts
    attach_remarks(result, told.remarks)
    return result


@dataclass(frozen=True, repr=False, eq=False)
class Behaviour(Readable):
    """The behaviour of customers, where `summarise_events` has written it.

    Attributes
    ----------
    into : pathlib.Path or str
        The file, or the table of the database, that was made: one row per customer.
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
    summarise_events : Makes one of an OpenTable.

    Examples
    --------
    >>> import duckdb, gauger, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     shop = duckdb.connect(f"{folder}/shop.duckdb")
    ...     days = "SELECT i % 4 AS who, DATE '2025-03-01' + CAST(i AS INTEGER) AS day FROM range(9) AS t(i)"
    ...     _ = shop.sql(f"CREATE TABLE visits AS {days}")
    ...     shop.close()
    ...     events = gauger.open_table(f"duckdb:///{folder}/shop.duckdb", table="visits")
    ...     made = gauger.summarise_events(events, customer="who", when="day", into="behaviour")
    >>> made.customers, made.facts["events"], made.columns[:3]
    (4, 9, ('who', 'recency_days', 'visits'))
    """

    into: Path | str
    customers: int
    columns: tuple[str, ...]
    facts: Mapping[str, Any] = field(default_factory=dict)
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        return f"{self.facts['events']:,} events of {Noun.of_key(self.columns[0]).counted(self.customers)}: {self.into}"

    def overview(self) -> pd.DataFrame:
        return pd.DataFrame({"column": self.columns}).set_index("column")


@dataclass(frozen=True)
class EventFacts:
    """What there is to say of behaviour: rows, lines, events, first day and the day as of which; and remarks."""

    facts: dict[str, Any]
    remarks: tuple[Remark, ...]

    def written(self, into: Path | str, columns: Sequence[str], customers: int) -> Behaviour:
        """The behaviour that was written."""
        return Behaviour(into, customers, tuple(columns), self.facts, self.remarks)


@contextmanager
def _summarised(
    events: Events, asked: EventSummary, memory: str | None
) -> Iterator[tuple[EventSource, str, EventFacts]]:
    """The events, the statement that summarises them, and what there is to say of its result."""
    with event_source(events, asked, memory) as source:
        statement, told = behaviour_of(source, asked)
        yield source, statement, told


def behaviour_of(source: EventRows, asked: EventSummary) -> tuple[str, EventFacts]:
    """The statement that summarises some events, in DuckDB's words, and what there is to say of its result."""
    period = _period(source, asked)
    columns, with_customers = asked.columns, asked.customers is not None
    chosen = Catalogue(columns.nouns, period).chosen(asked.measures, columns.customer)
    there = CUSTOMERS if with_customers else None
    statement = behaviour_sql(columns, chosen, period, events=EVENTS, customers=there)
    lines = about_lines(source, period)
    facts = {
        "rows": source.rows,
        "lines": lines.lines,
        "events": lines.events,
        "first": str(period.start.date()),
        "as_of": period.as_of.isoformat(sep=" ").removesuffix(" 00:00:00"),
    }
    return statement, EventFacts(facts, (*_remarks(source, period, with_customers=with_customers), *lines.remarks))


def behaviour_of_files(events: Events, path: Path, asked: EventSummary, memory: str | None = None) -> EventFacts:
    """As `summarise_events`, written as Parquet rather than held: behaviour may be more than memory too."""
    with _summarised(events, asked, memory) as (source, statement, told):
        copy = f"COPY ({statement.rstrip().rstrip(';')}) TO {sql_text(str(path))} (FORMAT parquet)"
        run_query(source.database, copy, "summarising events", result=False)
    return told


def events_sql(
    events: Events,
    columns: EventColumns | None = None,
    *,
    dialect: str,
    table: str,
    measures: Sequence[str] | str | None = None,
    customers_table: str | None = None,
    as_of: str | datetime.date | None = None,
    **named: Unpack[EventSettings],
) -> str:
    """Give the statement of `summarise_events` in another database's words, to be run where the events live.

    Parameters
    ----------
    events : pandas.DataFrame, another table, str or path-like
        The same events, or enough of them: the period and the levels of the category are taken from them and stand in
        the statement.
    columns : EventColumns, optional
        What the columns mean; or named one by one, as for `summarise_events`.
    dialect : {"postgres", "duckdb"}
        Whose words.
    table : str
        The name of the events' table there.
    measures : sequence of str or "all", optional
        As for `summarise_events`.
    customers_table : str, optional
        The name of a table of customers there; who has no event comes out too.
    as_of : str or datetime.date, optional
        As for `summarise_events`.
    **named
        The settings of `EventColumns`, one by one.

    Returns
    -------
    str
        One SELECT.

    Raises
    ------
    SettingError
        For another dialect, and as `summarise_events`.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> visits = pd.DataFrame({"who": ["b", "a"], "day": ["2025-03-01", "2025-03-04"]})
    >>> text = gauger.events_sql(visits, dialect="postgres", table="visits", customer="who", when="day")
    >>> text.splitlines()[0]
    'WITH chosen AS ('
    """
    asked = EventSummary.given(columns, named, as_of=as_of)
    own, scope = asked.columns, asked.scope
    if scope.lookup is not None or scope.only_customers or scope.zone is not None:
        raise SettingError(
            "a statement for another database has no lookup, time zone or list of customers to go by: make a view "
            "there with the joined columns, the moments and the customers that count, and name it."
        )
    with event_source(events, asked) as source:
        period = _period(source, asked)
    chosen = Catalogue(own.nouns, period).chosen(measures, own.customer)
    narrowed = None if scope == EventScope() else narrowing_sql(scope, own, source.since, sql_name(table))
    statement = behaviour_sql(own, chosen, period, events=table, customers=customers_table, narrowed=narrowed)
    return in_dialect(statement, dialect)


def _period(source: EventRows, asked: EventSummary) -> Period:
    end = asked.end(source.last)
    if source.first >= end:
        raise SettingError(f"no event happened before as_of={end.date()}; the first is on {source.first}.")
    when = f"CAST({sql_name(source.columns.when)} AS TIMESTAMP)"
    (timed,) = source.values(f"SELECT bool_or({when} <> date_trunc('day', {when})) FROM {EVENTS}")
    return Period(source.since or source.first, end, _levels(source, f"{when} < {sql_moment(end)}"), bool(timed))


def _levels(source: EventRows, before: str) -> tuple[str, ...]:
    if source.columns.category is None:
        return ()
    category = f"CAST({sql_name(source.columns.category)} AS TEXT)"
    found = source.values(
        f"SELECT DISTINCT {category} FROM {EVENTS} WHERE {before} AND {category} IS NOT NULL ORDER BY 1"
    )
    if len(found) > MOST_LEVELS:
        raise SettingError(
            f"{source.columns.category!r} has {len(found):,} levels; shares of more than {MOST_LEVELS} say little. "
            "Group them into fewer, or choose another category."
        )
    return tuple(str(level) for level in found)


def _remarks(source: EventRows, period: Period, *, with_customers: bool) -> list[Remark]:
    remarks = [*source.remarks]
    if source.last >= period.as_of:
        when = f"CAST({sql_name(source.columns.when)} AS TIMESTAMP)"
        later = source.count(f"SELECT 1 FROM {EVENTS} WHERE {when} >= {sql_moment(period.as_of)}")
        remarks.append(
            Remark(
                "after-as-of",
                f"{later:,} {plural(later, 'event')} at or after {period.as_of.date()} "
                f"{plural(later, 'was', 'were')} left out of account.",
            )
        )
    return [*remarks, *_without_events(source, period)] if with_customers else remarks


def _without_events(source: EventRows, period: Period) -> list[Remark]:
    key = sql_name(source.columns.customer)
    when = f"CAST({sql_name(source.columns.when)} AS TIMESTAMP)"
    seen = f"SELECT DISTINCT {key} AS customer FROM {EVENTS} WHERE {when} < {sql_moment(period.as_of)}"
    theirs = f"SELECT DISTINCT {key} AS customer FROM {CUSTOMERS}"
    idle = source.count(f"{theirs} EXCEPT {seen}")
    strangers = source.count(f"{seen} EXCEPT {theirs}")
    remarks = []
    if idle:
        text = (
            f"{idle:,} {plural(idle, 'customer has', 'customers have')} no event before {period.as_of.date()}: they "
            f"come out with 0 events and a recency of the whole period, {period.days:,} days."
        )
        remarks.append(Remark("no-events", text))
    if strangers:
        text = (
            f"{strangers:,} {plural(strangers, 'customer')} of the events "
            f"{plural(strangers, 'is', 'are')} not in the customers' table; {plural(strangers, 'it is', 'they are')} "
            "in the result all the same."
        )
        remarks.append(Remark("customers-unknown", text))
    return remarks
