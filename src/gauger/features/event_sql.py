"""The one SQL statement that turns events into behaviour, for DuckDB and for the analyst's own database."""

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from typing import Any, Literal, TypedDict

from gauger.columns import as_one_value
from gauger.errors import SettingError
from gauger.features.event_columns import EventColumns
from gauger.features.event_scope import EventScope, moment_of
from gauger.features.measures import Measure, Period
from gauger.tables import sql_moment, sql_name

DIALECTS = ("duckdb", "postgres")


class EventSettings(TypedDict, total=False):
    """The settings of `EventColumns` and `EventScope`, one by one."""

    customer: str
    when: str
    amount: str | None
    quantity: str | None
    category: str | None
    event_key: str | None
    event_noun: str
    amount_noun: str
    quantity_noun: str | None
    category_noun: str | None
    since: str | datetime.date | None
    window: str | None
    zone: str | None
    without_customer: Literal["refuse", "drop"]
    only_customers: bool
    lookup: Any
    on: str | None


@dataclass(frozen=True)
class EventSummary:
    """What is asked of events: the columns, the measures, the customers that come out in any case, up to when they
    count, and which of them."""

    columns: EventColumns
    measures: Sequence[str] | str | None = None
    customers: Any = None
    as_of: str | datetime.date | None = None
    scope: EventScope = field(default_factory=EventScope)

    def __post_init__(self) -> None:
        if self.scope.only_customers and self.customers is None:
            raise SettingError(
                "only_customers= needs the table of customers: customers= (on the command line: --customers)."
            )

    @classmethod
    def given(
        cls,
        columns: EventColumns | None,
        named: Mapping[str, Any],
        measures: Sequence[str] | str | None = None,
        customers: Any = None,
        as_of: str | datetime.date | None = None,
    ) -> "EventSummary":
        """What is asked, the columns as one value, or as they are named one by one with what else is said."""
        own = {one.name for one in fields(EventScope)}
        scope = EventScope(**{name: value for name, value in named.items() if name in own})
        rest = {name: value for name, value in named.items() if name not in own}
        return cls(as_one_value(EventColumns, columns, rest, "the events' columns"), measures, customers, as_of, scope)

    def end(self, last: datetime.datetime) -> datetime.datetime:
        """The moment up to which events count, the last having happened at `last`."""
        if self.as_of is not None:
            return moment_of(self.as_of, "as_of")
        if last.date() == datetime.date.max:
            raise SettingError(
                f"the last event is on {last.date()}, which stands for no end and not for a day: say up to when events "
                "count, as_of='2025-12-31' (on the command line: --as-of 2025-12-31)."
            )
        return datetime.datetime.combine(last.date() + datetime.timedelta(days=1), datetime.time())


def behaviour_sql(
    columns: EventColumns,
    measures: Sequence[Measure],
    period: Period,
    *,
    events: str,
    customers: str | None = None,
    narrowed: str | None = None,
) -> str:
    """The statement in DuckDB's words: one row a customer from table `events`, in order of the customer.

    With an event key, rows alike in every column count once, and the others that share key and customer are lines of
    one event, at the earliest of their moments, with amounts and quantities added up. With a table `customers`, its
    customers without any event come out too. `narrowed` is the statement that gives the events that count, where
    not all of the table do.
    """
    keyed = columns.event_key is not None
    parts = [] if narrowed is None else [f"narrowed AS (\n{narrowed}\n)"]
    parts += _event_parts(columns, period, events if narrowed is None else "narrowed")
    of_lines = [measure for measure in measures if keyed and measure.over == "lines"]
    gaps = any(measure.over == "gaps" for measure in measures)
    if gaps:
        parts += _gap_parts(refunds=columns.amount is not None)
    key = sql_name(columns.customer)
    plain = [measure for measure in measures if measure.over != "gaps" and measure not in of_lines]
    if not gaps and not of_lines and customers is None:
        return f"WITH {', '.join(parts)}\n{_grouped(plain, key)}\nORDER BY 1"
    parts.append(f"measured AS (\n{_grouped(plain, 'customer')}\n)")
    sources = ["measured"]
    if customers is not None:
        parts.append(f"everyone AS (\nSELECT customer FROM measured UNION SELECT {key} FROM {sql_name(customers)}\n)")
        sources = ["everyone", "LEFT JOIN measured ON measured.customer = everyone.customer"]
    if of_lines:
        parts.append(f"by_line AS (\n{_grouped(of_lines, 'customer', 'lines')}\n)")
        sources.append("LEFT JOIN by_line ON by_line.customer = measured.customer")
    if gaps:
        sources.append("LEFT JOIN gaps ON gaps.customer = measured.customer")
    finals = [
        _final(measure, "by_line" if measure in of_lines else "measured", defined=customers is not None)
        for measure in measures
    ]
    selected = ",\n  ".join([f"{sources[0]}.customer AS {key}", *finals])
    return f"WITH {', '.join(parts)}\nSELECT\n  {selected}\nFROM {' '.join(sources)}\nORDER BY 1"


def in_dialect(statement: str, dialect: str) -> str:
    """A statement of DuckDB's in another database's words, laid out for reading."""
    import sqlglot

    if dialect not in DIALECTS:
        raise SettingError.not_one_of("dialect", dialect, DIALECTS)
    return sqlglot.transpile(statement, read="duckdb", write=dialect, pretty=True)[0] + ";\n"


def _event_parts(columns: EventColumns, period: Period, events: str) -> list[str]:
    """The part `chosen`, a row an event, and with an event key `lines` before it, a row a line."""
    selected = []
    casts = {"moment": "TIMESTAMP", "amount": "DECIMAL(38, 9)", "quantity": "DECIMAL(38, 9)", "category": "TEXT"}
    for part, column in columns.named.items():
        kind = casts.get(part)
        selected.append(f"{f'CAST({sql_name(column)} AS {kind})' if kind else sql_name(column)} AS {part}")
    before = f"CAST({sql_name(columns.when)} AS TIMESTAMP) < {sql_moment(period.as_of)}"

    def rows(source: str) -> str:
        return f"SELECT {', '.join(selected)} FROM {source} WHERE {before}"

    if columns.event_key is None:
        return [f"chosen AS (\n{rows(sql_name(events))}\n)"]
    sums = [name for name in ("amount", "quantity") if name in columns.named]
    added = "".join(f", sum({name}) AS {name}" for name in sums)
    alone = "".join(f", {name}" for name in sums)
    return [
        f"once AS (\nSELECT DISTINCT * FROM {sql_name(events)}\n)",
        f"lines AS (\n{rows('once')}\n)",
        f"chosen AS (\nSELECT customer, min(moment) AS moment{added} FROM lines WHERE NOT event_key IS NULL "
        f"GROUP BY customer, event_key UNION ALL SELECT customer, moment{alone} FROM lines WHERE event_key IS NULL\n)",
    ]


def _grouped(measures: Sequence[Measure], key: str, source: str = "chosen") -> str:
    selected = ",\n  ".join([f"customer AS {key}", *(f"{one.sql} AS {sql_name(one.name)}" for one in measures)])
    return f"SELECT\n  {selected}\nFROM {source}\nGROUP BY customer"


def _gap_parts(*, refunds: bool) -> list[str]:
    where = " WHERE amount >= 0" if refunds else ""
    return [
        f"days AS (\nSELECT DISTINCT customer, CAST(moment AS DATE) AS day FROM chosen{where}\n)",
        "steps AS (\nSELECT customer, day - lag(day) OVER (PARTITION BY customer ORDER BY day) AS gap FROM days\n)",
        "gaps AS (\nSELECT customer, count(gap) AS number, sum(gap) AS total, sum(gap * gap) AS squares FROM steps "
        "GROUP BY customer\n)",
    ]


def _final(measure: Measure, source: str, *, defined: bool) -> str:
    value = measure.sql if measure.over == "gaps" else f"{source}.{sql_name(measure.name)}"
    if defined and measure.without_events != "NULL":
        value = f"coalesce({value}, {measure.without_events})"
    return f"{value} AS {sql_name(measure.name)}"
