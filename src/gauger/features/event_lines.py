"""What is to be said of the rows that events were made of: repeats, lines of one event, a last day cut short."""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from gauger.columns import named_like_a_key
from gauger.features.event_scope import EVENTS
from gauger.features.event_source import EventRows
from gauger.features.measures import Period
from gauger.remarks import Remark
from gauger.tables import sql_day, sql_moment, sql_name
from gauger.wording import plural

_SHORT_DAY = 0.5
"""A last day with at most this share of a usual day's events, which on other days mostly come later than its last one,
was cut short; judgement."""
_LEAST_DAYS = 7
"""A period must have a week for its last day to look short beside the same weekday."""

_EVENT_NAME = re.compile(r"order|basket|receipt|invoice|ticket|transaction|booking", re.IGNORECASE)


@dataclass(frozen=True)
class Lines:
    """How many `lines` (rows that count) made how many `events`, and the remarks on them."""

    lines: int
    events: int
    remarks: tuple[Remark, ...]


def about_lines(source: EventRows, period: Period) -> Lines:
    """Count lines and events, and look at what repeats, shares a key or a moment, or is cut short."""
    short = tuple(_short_last_day(source, period))
    if source.columns.event_key is None:
        alike = source.repeated([source.columns.customer, source.columns.when])
        repeats = source.repeated() if alike else 0
        return Lines(source.rows, source.rows, (*_repeated(source, repeats), *_shared(source, alike - repeats), *short))
    repeats = source.repeated()
    lines = source.rows - repeats
    key, customer = sql_name(source.columns.event_key), sql_name(source.columns.customer)
    when = f"CAST({sql_name(source.columns.when)} AS TIMESTAMP)"
    grouped = (
        f"SELECT {key} AS k, count(DISTINCT {customer}) AS owners, min(CAST({when} AS DATE)) < "
        f"max(CAST({when} AS DATE)) AS spread FROM {EVENTS} WHERE NOT {key} IS NULL GROUP BY {key}"
    )
    (counted,) = source.rows_of(
        f"SELECT count(*), count(*) FILTER (WHERE owners > 1), coalesce(sum(owners), 0), "
        f"count(*) FILTER (WHERE spread AND owners = 1) FROM ({grouped}) AS grouped"
    )
    _, shared, owned, spread = (int(value) for value in counted)
    keyless = source.count(f"SELECT DISTINCT * FROM {EVENTS} WHERE {key} IS NULL")
    events = owned + keyless
    remarks = _about_keys(source.columns.event_key, repeats, lines, events, shared, spread, keyless)
    return Lines(lines, events, (*remarks, *short))


def _about_keys(
    key: str, repeats: int, lines: int, events: int, shared: int, spread: int, keyless: int
) -> Iterator[Remark]:
    if repeats:
        text = f"{repeats:,} exact {plural(repeats, 'repeat')} of a row {plural(repeats, 'was', 'were')} counted once."
        yield Remark("repeats-dropped", text, (key,))
    if events < lines:
        text = (
            f"{lines:,} lines made {events:,} {plural(events, 'event')} by {key}: amounts and quantities were added "
            "up, categories counted by line."
        )
        yield Remark("lines-added-up", text, (key,))
    if shared:
        stand = plural(shared, "value stands", "values stand")
        text = (
            f"{shared:,} {stand} with more than one customer in {key}, and was an event of each. Does it start again "
            "somewhere (each house, each year)?"
        )
        yield Remark("event-key-shared", text, (key,))
    if spread:
        text = (
            f"{spread:,} {plural(spread, 'event')} by {key} {plural(spread, 'has', 'have')} lines on different days: "
            "the first day counts. Does the column number events, or something larger?"
        )
        yield Remark("event-key-days", text, (key,))
    if keyless:
        text = f"{keyless:,} {plural(keyless, 'row')} without {key} {plural(keyless, 'was', 'were')} an event each."
        yield Remark("event-key-missing", text, (key,))


def _numbering(source: EventRows) -> str:
    """The column that seems to number events."""
    others = [column for column in source.names if column != source.columns.customer]
    named = (column for column in others if _EVENT_NAME.search(column) or named_like_a_key(column))
    return next(named, "…")


def _repeated(source: EventRows, repeats: int) -> Iterator[Remark]:
    if repeats:
        stand = plural(repeats, "row is alike an earlier one", "rows are alike an earlier one")
        yield Remark(
            "repeated-events",
            f"{repeats:,} {stand} in every column, and counted again. If that is a fault of the export, name the "
            f"column that numbers events, and each counts once: event_key={_numbering(source)!r} (on the command line: "
            f"--event-key {_numbering(source)}).",
        )


def _shared(source: EventRows, more: int) -> Iterator[Remark]:
    if more > 0:
        share = plural(more, "row shares", "rows share")
        yield Remark(
            "shared-moments",
            f"{more:,} {share} customer and moment with an earlier one, and counted by itself. If rows are lines "
            f"of one order, name the column that numbers orders: event_key={_numbering(source)!r} (on the command "
            f"line: --event-key {_numbering(source)}).",
        )


def _short_last_day(source: EventRows, period: Period) -> Iterator[Remark]:
    """That the last day ends early, so that everybody's recency is a day too long."""
    last, when = source.last, f"CAST({sql_name(source.columns.when)} AS TIMESTAMP)"
    up_to_it = (period.as_of.date() - last.date()).days == 1
    if not period.times_of_day or period.days < _LEAST_DAYS or not up_to_it:
        return
    before = f"{when} < {sql_moment(period.as_of)}"
    on_it = source.count(f"SELECT 1 FROM {EVENTS} WHERE {when} >= CAST({sql_day(last.date())} AS TIMESTAMP)")
    if on_it > source.rows / period.days:
        return
    today = sql_day(last.date())
    by_day = (
        f"SELECT CAST({when} AS DATE) AS day, count(*) AS events, count(*) FILTER (WHERE CAST({when} AS TIME) > "
        f"TIME '{last.time().isoformat()}') AS later FROM {EVENTS} WHERE {before} GROUP BY 1"
    )
    ((own, usual, later),) = source.rows_of(
        f"SELECT max(events) FILTER (WHERE day = {today}), median(events) FILTER (WHERE day < {today}), "
        f"coalesce(sum(later) FILTER (WHERE day < {today})::DOUBLE / sum(events) FILTER (WHERE day < {today}), 0) "
        f"FROM ({by_day}) AS by_day"
    )
    if usual is not None and own <= _SHORT_DAY * usual and later >= _SHORT_DAY:
        yield Remark(
            "last-day-short",
            f"the last day, {last.date()}, has only {own:,} {plural(own, 'event')}, none after {last:%H:%M}; usual "
            f"days have {usual:,.0f}. It seems cut short, and makes everybody's recency a day longer: leave it out "
            f"with as_of='{last.date()}' (on the command line: --as-of {last.date()}).",
        )
