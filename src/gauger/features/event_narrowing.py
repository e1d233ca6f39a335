"""From every row of events, checked, to those that count: the same wherever events live."""

import datetime
from collections.abc import Callable
from dataclasses import dataclass

from gauger.errors import SettingError
from gauger.features.event_scope import EVENTS, JOINED, EventScope, RowsOf, about_scope, narrowing_sql, whose_sql
from gauger.features.event_sql import EventSummary
from gauger.remarks import Remark
from gauger.tables import sql_name


@dataclass(frozen=True)
class Narrowed:
    """The events that count: how many, when the first and the last happened, from when they count where that was said,
    and what was left out."""

    rows: int
    first: datetime.datetime
    last: datetime.datetime
    since: datetime.datetime | None
    remarks: tuple[Remark, ...]


def narrowed_events(asked: EventSummary, rows_of: RowsOf, see: Callable[[str, str], object]) -> Narrowed:
    """Let the events that count be seen as EVENTS, of those seen as JOINED; raises SettingError where none are left.

    `rows_of` gives the rows of a statement in DuckDB's words, `see` lets a statement be seen under a name.
    """
    columns, scope = asked.columns, asked.scope
    when = f"CAST({sql_name(columns.when)} AS TIMESTAMP)"
    ((last,),) = rows_of(f"SELECT max({when}) FROM {JOINED} WHERE {whose_sql(scope, columns.customer)}")
    if last is None:
        raise _none_left(scope, None)
    begin = scope.begin(asked.end(last))
    remarks = about_scope(rows_of, scope, columns, begin, JOINED)
    see(narrowing_sql(scope, columns, begin, JOINED), EVENTS)
    ((rows, first, last),) = rows_of(f"SELECT count(*), min({when}), max({when}) FROM {EVENTS}")
    if not rows:
        raise _none_left(scope, begin)
    return Narrowed(int(rows), first, last, begin, remarks)


def _none_left(scope: EventScope, begin: datetime.datetime | None) -> SettingError:
    why = []
    if scope.without_customer == "drop":
        why.append("have no customer")
    if scope.only_customers:
        why.append("are of customers who are not in the customers' table")
    if begin is not None:
        why.append(f"happened before {begin.date()}")
    return SettingError(f"no event counts: all {' or '.join(why)}.")
