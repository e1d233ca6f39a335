"""Which events count: from when, whose, in which zone's days, and what a second table adds to them."""

import datetime
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal
from zoneinfo import ZoneInfo

import pandas as pd

from gauger.errors import KeyColumnError, SettingError
from gauger.features.event_columns import EventColumns
from gauger.remarks import Remark
from gauger.tables import sql_moment, sql_name, sql_text
from gauger.wording import percent, plural

ROWS, JOINED, EVENTS = "gauger_rows", "gauger_joined", "gauger_events"
"""What rows of events are seen as, in a database of ours or of others: as they are, with what a lookup adds, and those
that count."""

CUSTOMERS, LOOKUP = "gauger_customers", "gauger_lookup"
"""What the tables of customers and of a lookup are seen as."""

WITHOUT_CUSTOMER = ("refuse", "drop")

_WINDOW = re.compile(r"\s*(\d+)\s*(day|week|month|year)s?\s*", re.IGNORECASE)
_ZONED = r"[0-9]:[0-9]{2}(:[0-9]{2}([.][0-9]+)?)?\s*(Z|[+-][0-9]{2}(:?[0-9]{2})?)$"
"""How a moment with a zone is written: 2013-01-01T10:00:00Z or +02:00."""

RowsOf = Callable[[str], Sequence[tuple[Any, ...]]]


@dataclass(frozen=True)
class EventScope:
    """Which events count.

    Parameters
    ----------
    since : str or datetime.date, optional
        A moment: only what happened at or after it counts.
    window : str, optional
        In place of `since`: how long before `as_of` events count, such as "12 months" (days, weeks, months, years).
    zone : str, optional
        The time zone whose days are counted, such as "Europe/Vienna", for moments that carry a zone or an offset; by
        default UTC for those in text, the column's own for others.
    without_customer : {"refuse", "drop"}
        Whether events without a customer are refused, or counted and left out.
    only_customers : bool
        Whether customers who are not in the customers' table are left out.
    lookup : table or str, optional
        A second table with one row per value of `on`, such as products, whose columns the events get; of events in a
        database the name of a table there.
    on : str, optional
        The column that both have.

    Raises
    ------
    SettingError
        For what is not a moment, a length of time, a zone or one of the words, and for half of a pair.

    Examples
    --------
    >>> import gauger
    >>> gauger.EventScope(window="12 months").begin("2026-03-31").isoformat()
    '2025-03-31T00:00:00'
    """

    since: str | datetime.date | None = None
    window: str | None = None
    zone: str | None = None
    without_customer: Literal["refuse", "drop"] = "refuse"
    only_customers: bool = False
    lookup: Any = None
    on: str | None = None

    def __post_init__(self) -> None:
        if self.since is not None and self.window is not None:
            raise SettingError("since= and window= both say from when events count: give one of them.")
        if self.since is not None:
            moment_of(self.since, "since")
        if self.window is not None:
            self._length()
        if self.zone is not None:
            zone_of(self.zone)
        if self.without_customer not in WITHOUT_CUSTOMER:
            raise SettingError.not_one_of("without_customer", self.without_customer, WITHOUT_CUSTOMER)
        if (self.lookup is None) != (self.on is None):
            raise SettingError("a lookup needs the column that both tables have: lookup= and on= (--lookup and --on).")

    def begin(self, as_of: str | datetime.datetime) -> datetime.datetime | None:
        """From when events count.

        Parameters
        ----------
        as_of : str or datetime.datetime
            The moment up to which they count.

        Returns
        -------
        datetime.datetime or None
            The moment from which they count; None for the first event of all.

        Raises
        ------
        SettingError
            When a window is so long that it begins before there are dates.

        Examples
        --------
        >>> import gauger
        >>> gauger.EventScope(since="2025-12-31").begin("2026-03-31").isoformat()
        '2025-12-31T00:00:00'
        """
        if self.since is not None:
            return moment_of(self.since, "since")
        if self.window is None:
            return None
        try:
            return (pd.Timestamp(as_of) - self._length()).to_pydatetime()
        except (ValueError, OverflowError, pd.errors.OutOfBoundsDatetime) as error:
            raise SettingError(f"window={self.window!r} begins before there are dates.") from error

    def _length(self) -> pd.DateOffset:
        found = _WINDOW.fullmatch(self.window) if isinstance(self.window, str) else None
        if found is None or not 0 < int(found[1]) < 100_000:
            raise SettingError(
                f"window={self.window!r} must be a length of time such as '12 months': a whole number, from 1 up, of "
                "days, weeks, months or years."
            )
        unit = f"{found[2].lower()}s"
        return pd.DateOffset(**{unit: int(found[1])})  # type: ignore[arg-type]


def moment_of(given: str | datetime.date, setting: str) -> datetime.datetime:
    """A moment without a zone; raises SettingError for what is none."""
    try:
        return datetime.datetime.fromisoformat(str(given)).replace(tzinfo=None)
    except ValueError as error:
        raise SettingError(f"{setting}={given!r} is not a date. Write it as 2025-12-31.") from error


def zone_of(name: str) -> ZoneInfo:
    """The time zone of that name; raises SettingError."""
    try:
        return ZoneInfo(name)
    except (ValueError, OSError, LookupError, TypeError) as error:
        raise SettingError(f"zone={name!r} is not a time zone. Write it as Europe/Vienna, or UTC.") from error


def joined_sql(
    names: Sequence[str],
    scope: EventScope,
    when: str,
    lookup_names: Sequence[str],
    zoned: Literal["text", "moment"] | None,
) -> str:
    """Every row of events with its moment in the scope's zone and what the lookup has of it, in DuckDB's words."""
    moment, zone = f"r.{sql_name(when)}", sql_text(scope.zone or "UTC")
    if zoned == "moment":
        moment = f"{moment} AT TIME ZONE {zone}"
    elif zoned == "text":
        cast = f"TRY_CAST({moment} AS TIMESTAMPTZ)"
        moment = f"CASE WHEN {cast} IS NULL THEN {moment} ELSE CAST({cast} AT TIME ZONE {zone} AS TEXT) END"
    columns = [f"{moment} AS {sql_name(one)}" if one == when else f"r.{sql_name(one)}" for one in names]
    columns += [f"l.{sql_name(one)}" for one in lookup_names]
    joined = ""
    if scope.on is not None:
        joined = f" LEFT JOIN {LOOKUP} AS l ON l.{sql_name(scope.on)} = r.{sql_name(scope.on)}"
    return f"SELECT {', '.join(columns)} FROM {ROWS} AS r{joined}"


def is_zoned(rows_of: RowsOf, when: str) -> bool:
    """Whether moments in text carry a zone or an offset."""
    ((found,),) = rows_of(f"SELECT count(*) FROM {ROWS} WHERE regexp_matches({sql_name(when)}, {sql_text(_ZONED)})")
    return bool(found)


def about_zone(scope: EventScope, when: str) -> Iterator[Remark]:
    """That days are those of UTC, where nobody said whose."""
    if scope.zone is None:
        yield Remark(
            "days-of-utc",
            f"the moments in {when} carry a time zone: days and hours are those of UTC. For those of a place name its "
            "zone: zone='Europe/Vienna' (on the command line: --zone Europe/Vienna).",
            (when,),
        )


def lookup_columns(names: Sequence[str], theirs: Sequence[str], on: str) -> list[str]:
    """The columns that a lookup adds; raises SettingError where the events have one already."""
    added = [name for name in theirs if name != on]
    taken = [name for name in added if name in names]
    if taken:
        raise SettingError(
            f"the events and the lookup both have a column {taken[0]!r}: rename one of them, or leave it out of the "
            "lookup."
        )
    return added


def refuse_repeated_lookup(rows_of: RowsOf, on: str) -> None:
    """Raise KeyColumnError where a lookup has several rows for one value."""
    name = sql_name(on)
    repeats = f"SELECT {name} FROM {LOOKUP} WHERE NOT {name} IS NULL GROUP BY {name} HAVING count(*) > 1"
    ((many,),) = rows_of(f"SELECT count(*) FROM ({repeats}) AS repeats")
    if many:
        raise KeyColumnError(
            f"the lookup has several rows for {many:,} {plural(int(many), 'value')} of {on!r}: each event would count "
            "more than once. Keep one row for each."
        )


def whose_sql(scope: EventScope, customer: str) -> str:
    """The condition on the customer of events that count."""
    name = sql_name(customer)
    conditions = [f"NOT {name} IS NULL"] if scope.without_customer == "drop" else []
    if scope.only_customers:
        conditions.append(f"{name} IN (SELECT {name} FROM {CUSTOMERS})")
    return " AND ".join(conditions) or "TRUE"


def narrowing_sql(scope: EventScope, columns: EventColumns, begin: datetime.datetime | None, source: str) -> str:
    """The events that count, in DuckDB's words."""
    where = whose_sql(scope, columns.customer)
    if begin is not None:
        where += f" AND CAST({sql_name(columns.when)} AS TIMESTAMP) >= {sql_moment(begin)}"
    return f"SELECT * FROM {source} WHERE {where}"


def about_scope(
    rows_of: RowsOf, scope: EventScope, columns: EventColumns, begin: datetime.datetime | None, source: str
) -> tuple[Remark, ...]:
    """What was left out, and how much it holds."""
    if begin is None and scope.on is None and not scope.only_customers and scope.without_customer == "refuse":
        return ()
    customer, amount = sql_name(columns.customer), columns.amount
    worth = f"abs(CAST({sql_name(amount)} AS DOUBLE))" if amount else "1"
    nobody = f"{customer} IS NULL"
    others = f"NOT {nobody} AND NOT ({whose_sql(scope, columns.customer)})" if scope.only_customers else "FALSE"
    early = f"CAST({sql_name(columns.when)} AS TIMESTAMP) < {sql_moment(begin)}" if begin else "FALSE"
    lost = "FALSE"
    if scope.on is not None:
        on = sql_name(scope.on)
        lost = f"{on} IS NULL OR NOT {on} IN (SELECT {on} FROM {LOOKUP} WHERE NOT {on} IS NULL)"
    counted = [f"count(*) FILTER (WHERE {one})" for one in (nobody, others, early, lost)]
    weighed = [f"sum({worth}) FILTER (WHERE {one})" for one in (nobody, others)]
    parts = ", ".join([*counted, *weighed, f"count(DISTINCT {customer}) FILTER (WHERE {others})"])
    ((rows, total, *found),) = rows_of(f"SELECT count(*), sum({worth}), {parts} FROM {source}")
    left_out = _LeftOut(
        int(rows), float(total or 0.0) if amount else 0.0, amount, *(float(one or 0.0) for one in found)
    )
    return tuple(left_out.remarks(scope, begin))


@dataclass(frozen=True)
class _LeftOut:
    """How many rows there are and what they hold, and of these how many are without a customer, of others, before the
    beginning, and without a row in the lookup; what the first two hold, and how many customers the second are."""

    rows: int
    total: float
    amount: str | None
    nobody: float
    others: float
    before: float
    unknown: float
    of_nobody: float
    of_others: float
    strangers: float

    def remarks(self, scope: EventScope, begin: datetime.datetime | None) -> Iterator[Remark]:
        """A remark on each."""
        if self.nobody and scope.without_customer == "drop":
            yield Remark(
                "events-without-customer",
                f"{self.nobody:,.0f} of {self.rows:,} rows have no customer{self._holding(self.of_nobody)} and were "
                "left out: what follows is of those who can be recognised.",
            )
        if self.others:
            yield Remark(
                "other-customers-left-out",
                f"{self.strangers:,.0f} {plural(int(self.strangers), 'customer')} of the events "
                f"{plural(int(self.strangers), 'is', 'are')} not in the customers' table: {self.others:,.0f} "
                f"{plural(int(self.others), 'row')}{self._holding(self.of_others)} "
                f"{plural(int(self.others), 'was', 'were')} left out.",
            )
        if self.before and begin is not None:
            yield Remark(
                "before-since",
                f"{self.before:,.0f} {plural(int(self.before), 'row')} before {begin.date()} "
                f"{plural(int(self.before), 'was', 'were')} left out.",
            )
        if self.unknown and scope.on is not None:
            yield Remark(
                "lookup-not-found",
                f"{self.unknown:,.0f} of {self.rows:,} rows ({percent(self.unknown / self.rows)}) are not in the "
                f"lookup by {scope.on}: what it would say of them is missing.",
                (scope.on,),
            )

    def _holding(self, held: float) -> str:
        return f", with {percent(held / self.total)} of {self.amount}," if self.total else ""
