"""The one SQL statement that turns events into behaviour, for DuckDB and for the analyst's own database."""

from collections.abc import Sequence
from dataclasses import dataclass

from gauger.errors import SettingError
from gauger.features.measures import Measure, Period
from gauger.features.sql_words import sql_moment, sql_name

DIALECTS = ("duckdb", "postgres")


@dataclass(frozen=True)
class EventColumns:
    """Which column of the events says what; None where none does."""

    customer: str
    when: str
    amount: str | None = None
    quantity: str | None = None
    category: str | None = None
    key: str | None = None

    @property
    def named(self) -> dict[str, str]:
        """The columns there are, by what they say."""
        parts = {"customer": self.customer, "moment": self.when, "amount": self.amount}
        parts |= {"quantity": self.quantity, "category": self.category, "event_key": self.key}
        return {part: column for part, column in parts.items() if column is not None}


def behaviour_sql(
    columns: EventColumns,
    measures: Sequence[Measure],
    period: Period,
    *,
    events: str,
    customers: str | None = None,
    key_type: str | None = None,
) -> str:
    """The statement in DuckDB's words: one row a customer from table `events`, in order of the customer.

    Exact repeats count once when there is an event key. With a table `customers`, its customers without any event come
    out too. `key_type` is what a customer's text is cast to.
    """
    gaps = any(measure.over_gaps for measure in measures)
    parts = [f"chosen AS (\n{_chosen(columns, period, events, key_type)}\n)"]
    if gaps:
        parts += _gap_parts(refunds=columns.amount is not None)
    key = sql_name(columns.customer)
    if not gaps and customers is None:
        return f"WITH {', '.join(parts)}\n{_grouped(measures, key)}\nORDER BY 1"
    parts.append(f"measured AS (\n{_grouped(measures, 'customer')}\n)")
    sources = ["measured"]
    if customers is not None:
        parts.append(f"everyone AS (\nSELECT customer FROM measured UNION SELECT {key} FROM {sql_name(customers)}\n)")
        sources = ["everyone", "LEFT JOIN measured ON measured.customer = everyone.customer"]
    if gaps:
        sources.append("LEFT JOIN gaps ON gaps.customer = measured.customer")
    finals = [_final(measure, defined=customers is not None) for measure in measures]
    selected = ",\n  ".join([f"{sources[0]}.customer AS {key}", *finals])
    return f"WITH {', '.join(parts)}\nSELECT\n  {selected}\nFROM {' '.join(sources)}\nORDER BY 1"


def in_dialect(statement: str, dialect: str) -> str:
    """A statement of DuckDB's in another database's words, laid out for reading."""
    import sqlglot

    if dialect not in DIALECTS:
        raise SettingError.not_one_of("dialect", dialect, DIALECTS)
    return sqlglot.transpile(statement, read="duckdb", write=dialect, pretty=True)[0] + ";\n"


def _chosen(columns: EventColumns, period: Period, events: str, key_type: str | None) -> str:
    selected = []
    for part, column in columns.named.items():
        to = {"moment": "TIMESTAMP", "amount": "DECIMAL(38, 9)", "quantity": "DECIMAL(38, 9)", "customer": key_type}
        to["category"] = "TEXT"
        kind = to.get(part)
        selected.append(f"{f'CAST({sql_name(column)} AS {kind})' if kind else sql_name(column)} AS {part}")
    distinct = "DISTINCT " if columns.key else ""
    before = f"CAST({sql_name(columns.when)} AS TIMESTAMP) < {sql_moment(period.as_of)}"
    return f"SELECT {distinct}{', '.join(selected)} FROM {sql_name(events)} WHERE {before}"


def _grouped(measures: Sequence[Measure], key: str) -> str:
    plain = [f"{measure.sql} AS {sql_name(measure.name)}" for measure in measures if not measure.over_gaps]
    selected = ",\n  ".join([f"customer AS {key}", *plain])
    return f"SELECT\n  {selected}\nFROM chosen\nGROUP BY customer"


def _gap_parts(*, refunds: bool) -> list[str]:
    where = " WHERE amount >= 0" if refunds else ""
    return [
        f"days AS (\nSELECT DISTINCT customer, CAST(moment AS DATE) AS day FROM chosen{where}\n)",
        "steps AS (\nSELECT customer, day - lag(day) OVER (PARTITION BY customer ORDER BY day) AS gap FROM days\n)",
        "gaps AS (\nSELECT customer, count(gap) AS number, sum(gap) AS total, sum(gap * gap) AS squares FROM steps "
        "GROUP BY customer\n)",
    ]


def _final(measure: Measure, *, defined: bool) -> str:
    value = measure.sql if measure.over_gaps else f"measured.{sql_name(measure.name)}"
    if defined and measure.without_events != "NULL":
        value = f"coalesce({value}, {measure.without_events})"
    return f"{value} AS {sql_name(measure.name)}"
