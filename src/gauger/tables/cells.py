"""Columns from single values, such as a spreadsheet's cells or a database's rows, each value kept what it is."""

import datetime
from collections.abc import Sequence
from decimal import Decimal
from uuid import UUID

import pandas as pd
import pyarrow as pa

from gauger.tables.type_inference import one_kind

_LARGEST_WHOLE = 2**63
"""The first whole number that 64 bits do not hold."""


def column_of(values: Sequence[object]) -> pa.Array:
    """Values of one kind as a column of that kind; whole numbers beside decimals as decimals; else all as text."""
    kinds = {_kind(value) for value in values if value is not None}
    if not kinds:
        return pa.nulls(len(values))
    if kinds == {"flag"}:
        return pa.array(values, pa.bool_())
    if kinds == {"whole"}:
        return pa.array([None if value is None else int(value) for value in values], pa.int64())  # type: ignore[call-overload]
    if kinds <= {"whole", "decimal"}:
        return pa.array([None if value is None else float(value) for value in values], pa.float64())  # type: ignore[arg-type]
    if kinds == {"date"}:
        return pa.array([_moment(value) for value in values], pa.timestamp("us"))
    return pa.array([None if value is None else _as_text(value) for value in values], pa.string())


def values_of(column: pd.Series) -> list[object]:
    """A column as Python values, None for gaps: text, flags, whole numbers, decimals, dates, and what else as text."""
    values: list[object] = column.astype(object).where(column.notna(), None).tolist()
    return [_plain(value) for value in values]


def joined(chunks: Sequence[pa.Array]) -> pa.ChunkedArray:
    """Chunks of one column under the one type that holds them all."""
    to = one_kind({chunk.type for chunk in chunks} - {pa.null()})
    return pa.chunked_array([chunk.cast(to) for chunk in chunks], type=to)


def _kind(value: object) -> str:
    if isinstance(value, bool):
        return "flag"
    if isinstance(value, int):
        return "whole" if -_LARGEST_WHOLE <= value < _LARGEST_WHOLE else "text"
    if isinstance(value, Decimal):
        return (
            "whole"
            if value.is_finite() and value == value.to_integral() and value.as_tuple().exponent == 0
            else "decimal"
        )
    if isinstance(value, float):
        return "decimal"
    return "date" if isinstance(value, datetime.date) else "text"


def _moment(value: object) -> datetime.datetime | None:
    if isinstance(value, datetime.datetime):
        return (
            value.replace(tzinfo=None) if value.tzinfo is None else value.astimezone(datetime.UTC).replace(tzinfo=None)
        )
    return datetime.datetime.combine(value, datetime.time()) if isinstance(value, datetime.date) else None


def _as_text(value: object) -> str:
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if isinstance(value, (str, int, float, Decimal, UUID, datetime.date, datetime.time, datetime.timedelta)):
        return str(value)
    return value.hex() if isinstance(value, bytes) else repr(value)


def _plain(value: object) -> object:
    if isinstance(value, pd.Timestamp):
        return value.to_pydatetime()
    kinds = (str, bool, int, float, datetime.date, datetime.time)
    return value if value is None or isinstance(value, kinds) else str(value)
