"""Summarise events (visits, orders, calls) to one row a customer, by one SQL statement."""

import datetime

import numpy as np
import pandas as pd
import pyarrow as pa
from pandas.api import types

from gauger.errors import (
    ColumnValuesError,
    KeyColumnError,
    MissingValuesError,
    SettingError,
    data_rows,
    listed,
    plural,
)
from gauger.progress import task
from gauger.remarks import Remark, attach_remarks
from gauger.tables.arrow import to_pandas
from gauger.tables.checking import checked_table, refuse_missing_key

_LARGEST_AMOUNT = 1e20


def summarise_events(
    events: pd.DataFrame,
    *,
    customer: str,
    when: str,
    amount: str | None = None,
    quantity: str | None = None,
    as_of: str | datetime.date | None = None,
    event_noun: str = "visits",
    amount_noun: str = "spend",
    quantity_noun: str | None = None,
) -> pd.DataFrame:
    """One row a customer, sorted by customer: how recently, how often, and for how much.

    `customer`, `when`, `amount` and `quantity` name columns of `events`. The columns of the result:

    - the customer column itself,
    - `recency_days`: whole days from the last event to `as_of`,
    - `visits` (or `event_noun`): number of events,
    - `active_days`: number of different days with an event,
    - `first_seen`: day of the first event,
    - with `amount`: `spend_total`, `spend_mean` (total over events) and `refunds`: events of negative amount are
      refunds; they lower the total and are counted here, not among the visits,
    - with `quantity`: its total and its mean over events, named after the column (or `quantity_noun`).

    `as_of` is a moment: only what happened before it counts. It defaults to the start of the day after the last event
    and stands in `.attrs["as_of"]` of the result. Sums are exact in decimals of 1e-9, so the same events give the same
    bits in any order.

    Raises UnknownColumnError; KeyColumnError for events without a customer; MissingValuesError for missing dates,
    amounts or quantities; ColumnValuesError for dates or numbers that are none; SettingError when nothing happened
    before `as_of`.

    >>> import gauger, pandas as pd
    >>> visits = pd.DataFrame({"who": ["b", "a", "a"], "day": ["2025-03-01", "2025-03-04", "2025-03-09"]})
    >>> gauger.summarise_events(visits, customer="who", when="day")[["who", "recency_days", "visits"]].values.tolist()
    [['a', 1, 2], ['b', 9, 1]]
    """
    import duckdb  # a quarter of a second that only events cost

    asked = [customer, when, *(name for name in (amount, quantity) if name is not None)]
    events = checked_table(events, asked)
    if events.empty:
        raise SettingError("there are no events to summarise: the table has no rows.")
    refuse_missing_key(events[customer])
    columns = {"customer": events[customer], "moment": _moments(events[when])}
    for role, name in (("amount", amount), ("quantity", quantity)):
        if name is not None:
            columns[role] = _amounts(events[name])
    moment = _as_of(columns["moment"], as_of)
    source = _as_arrow(pd.DataFrame(columns), customer)
    selected = _measures(customer, event_noun, amount and amount_noun, quantity and (quantity_noun or quantity))
    with task("summarising events"), duckdb.connect() as database:
        database.register("events", source)
        found = database.sql(_statement(selected), params=[moment, moment]).to_arrow_table()
    result = to_pandas(found).rename(columns={"customer": customer})
    if result.empty:
        raise SettingError(
            f"no event happened before as_of={moment.date()}; the first is on {columns['moment'].min()}."
        )
    result.attrs["as_of"] = moment.isoformat(sep=" ").removesuffix(" 00:00:00")
    attach_remarks(result, _remarks(columns["moment"], moment))
    return result


def _measures(customer: str, event_noun: str, amount_noun: str | None, quantity_noun: str | None) -> dict[str, str]:
    """Each measure's name and SQL; an event of negative amount is a refund, not an event."""
    real = "amount >= 0" if amount_noun else "true"
    last_day = f"CAST(coalesce(max(moment) FILTER ({real}), max(moment)) AS DATE)"
    first_day = f"CAST(coalesce(min(moment) FILTER ({real}), min(moment)) AS DATE)"
    number = f"count(*) FILTER ({real})"
    measures = [
        ("recency_days", f"date_diff('day', {last_day}, CAST(CAST(? AS TIMESTAMP) AS DATE))"),
        (event_noun, number),
        ("active_days", f"count(DISTINCT CAST(moment AS DATE)) FILTER ({real})"),
        ("first_seen", first_day),
    ]
    for noun, column in ((amount_noun, "amount"), (quantity_noun, "quantity")):
        if noun:
            total = f"CAST(sum(CAST({column} AS DECIMAL(38, 9))) AS DOUBLE)"
            measures += [(f"{noun}_total", total), (f"{noun}_mean", f"{total} / nullif({number}, 0)")]
    if amount_noun:
        measures.append(("refunds", "count(*) FILTER (amount < 0)"))
    names = [customer, *(name for name, _ in measures)]
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise SettingError(
            f"two columns would be called {twice[0]!r}. Give another noun (event_noun=, amount_noun=, quantity_noun=; "
            "on the command line --event-noun and so on)."
        )
    return dict(measures)


def _statement(measures: dict[str, str]) -> str:
    quoted = ",\n  ".join(f'{sql} AS "{name.replace(chr(34), chr(34) * 2)}"' for name, sql in measures.items())
    return f"SELECT customer,\n  {quoted}\nFROM events WHERE moment < ?\nGROUP BY customer ORDER BY customer"


def _as_arrow(columns: pd.DataFrame, customer: str) -> pa.Table:
    try:
        return pa.Table.from_pandas(columns, preserve_index=False)
    except (pa.ArrowInvalid, pa.ArrowTypeError) as error:
        raise KeyColumnError(
            f"{customer!r} mixes kinds of values, such as text and numbers. Make it one kind: "
            f"table[{customer!r}].astype(str)."
        ) from error


def _moments(column: pd.Series) -> pd.Series:
    _refuse_gaps(column)
    if types.is_datetime64_any_dtype(column):
        return column.dt.tz_localize(None) if column.dt.tz is not None else column
    if types.is_numeric_dtype(column):
        raise ColumnValuesError(f"{column.name!r} holds numbers, not dates. Give dates as 2025-12-31.")
    moments = pd.to_datetime(column, format="ISO8601", errors="coerce")
    wrong = column[moments.isna()]
    if not wrong.empty:
        shown = listed(map(repr, wrong.head(3)))
        raise ColumnValuesError(
            f"{column.name!r} has {len(wrong):,} {plural(len(wrong), 'value')} that "
            f"{plural(len(wrong), 'is not a date', 'are not dates')}: {shown}. Write dates as 2025-12-31."
        )
    return moments


def _amounts(column: pd.Series) -> pd.Series:
    _refuse_gaps(column)
    numbers = pd.to_numeric(column, errors="coerce").astype(float)
    wrong = column[numbers.isna()]
    if not wrong.empty:
        raise ColumnValuesError.not_numbers(str(column.name), wrong.head(3).tolist(), len(wrong))
    outside = np.flatnonzero(~(numbers.abs() < _LARGEST_AMOUNT))
    if outside.size:
        raise ColumnValuesError.infinite(str(column.name), outside.tolist())
    return numbers


def _refuse_gaps(column: pd.Series) -> None:
    gaps = np.flatnonzero(column.isna())
    if gaps.size:
        raise MissingValuesError(
            f"{column.name!r} is missing in {gaps.size:,} {plural(gaps.size, 'event')} ({data_rows(gaps.tolist())}). "
            "Fill it in or remove those events."
        )


def _as_of(moments: pd.Series, as_of: str | datetime.date | None) -> datetime.datetime:
    if as_of is None:
        last = pd.Timestamp(moments.max())
        return datetime.datetime.combine(last.date() + datetime.timedelta(days=1), datetime.time())
    try:
        return datetime.datetime.fromisoformat(str(as_of)).replace(tzinfo=None)
    except ValueError as error:
        raise SettingError(f"as_of={as_of!r} is not a date. Write it as 2025-12-31.") from error


def _remarks(moments: pd.Series, as_of: datetime.datetime) -> list[Remark]:
    later = int((moments >= as_of).sum())
    if not later:
        return []
    return [
        Remark(
            "after-as-of", f"{later:,} {plural(later, 'event')} at or after {as_of.date()} were left out of account."
        )
    ]
