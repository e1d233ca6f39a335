"""From Arrow columns to pandas without losing what the values are."""

from collections.abc import Iterable
from zoneinfo import ZoneInfo

import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc

from gauger.errors import ColumnValuesError
from gauger.remarks import Remark
from gauger.wording import listed, plural

_WHOLE = {
    pa.int8(): pd.Int8Dtype(),
    pa.int16(): pd.Int16Dtype(),
    pa.int32(): pd.Int32Dtype(),
    pa.int64(): pd.Int64Dtype(),
    pa.uint8(): pd.UInt8Dtype(),
    pa.uint16(): pd.UInt16Dtype(),
    pa.uint32(): pd.UInt32Dtype(),
    pa.uint64(): pd.UInt64Dtype(),
    pa.bool_(): pd.BooleanDtype(),
}
_FIRST_YEAR, _LAST_YEAR = 1, 9999
"""The years that dates can be told in, everywhere that this library hands them to."""


def to_pandas(table: pa.Table) -> pd.DataFrame:
    """The table as a DataFrame; whole numbers and flags with gaps keep their type instead of turning into floats."""
    columns = {}
    for name, column in zip(table.column_names, table.columns, strict=True):
        kept = _plain(name, column)
        mapper = _WHOLE.get if kept.null_count else None
        columns[name] = kept.to_pandas(types_mapper=mapper).reset_index(drop=True)
    return pd.DataFrame(columns)


def stacked(tables: Iterable[pa.Table]) -> pa.Table:
    """Tables one below the other; where they do not agree on a column's type, levels are written out.

    Raises ColumnValuesError for a column that holds numbers in one and text in another, or numbers that no type holds.
    """
    given = list(tables)
    try:
        return pa.concat_tables(given, promote_options="permissive")
    except (pa.ArrowTypeError, pa.ArrowInvalid):
        pass
    try:
        return pa.concat_tables(map(_written_out, given), promote_options="permissive")
    except (pa.ArrowTypeError, pa.ArrowInvalid) as error:
        raise ColumnValuesError(
            f"the parts of the table differ in what a column holds ({error}). Export all parts alike."
        ) from None


def _written_out(table: pa.Table) -> pa.Table:
    """The table with levels as what they stand for."""
    for at, field in enumerate(table.schema):
        if pa.types.is_dictionary(field.type):
            table = table.set_column(at, field.name, table.column(at).cast(field.type.value_type))
    return table


def in_their_order(frame: pd.DataFrame, table: pa.Table) -> pd.DataFrame:
    """The DataFrame of a table with ordered categoricals where the table's columns have levels in an order."""
    ordered = [field.name for field in table.schema if pa.types.is_dictionary(field.type) and field.type.ordered]
    for name in ordered:
        levels = dict.fromkeys(
            level for part in table[name].chunks for level in part.dictionary.drop_null().to_pylist()
        )
        frame[name] = pd.Categorical(frame[name], list(levels), ordered=True)
    return frame


def without_odd_columns(table: pa.Table) -> tuple[pa.Table, list[Remark]]:
    """The table without columns whose cells are no single values, such as lists, and the remark that says so."""
    odd = [field.name for field in table.schema if _is_odd(table[field.name])]
    if not odd:
        return table, []
    columns = plural(len(odd), "column")
    text = (
        f"{columns} {listed(map(repr, odd))} {plural(len(odd), 'holds', 'hold')} lists, objects or raw bytes and "
        f"{plural(len(odd), 'was', 'were')} left out. Flatten them to one value a cell if you need them."
    )
    return table.drop_columns(odd), [Remark("nested-left-out", text, tuple(odd))]


def _is_odd(column: pa.ChunkedArray) -> bool:
    kind = column.type
    if pa.types.is_dictionary(kind):
        kind = kind.value_type
    if pa.types.is_nested(kind) or pa.types.is_interval(kind):
        return True
    return _is_raw(kind) and not _is_text(column)


def _is_raw(kind: pa.DataType) -> bool:
    """Whether cells are bytes, which may be text and may be anything else."""
    kinds = pa.types
    return any(
        is_one(kind)
        for is_one in (kinds.is_binary, kinds.is_large_binary, kinds.is_fixed_size_binary, kinds.is_binary_view)
    )


def _is_text(column: pa.ChunkedArray) -> bool:
    try:
        column.cast(pa.large_binary()).cast(pa.large_string())
    except pa.ArrowInvalid:
        return False
    return True


def _plain(name: str, column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Dates as moments, exact decimals as whole numbers or floats, coded text as text, nothing at all as numbers."""
    kind = column.type
    if isinstance(kind, pa.BaseExtensionType):
        return _plain(name, column.cast(kind.storage_type))
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        return _moments(name, column)
    if pa.types.is_time(kind):
        return column.cast(pa.string())
    if pa.types.is_null(kind) or pa.types.is_float16(kind):
        return column.cast(pa.float64())
    if pa.types.is_dictionary(kind):
        return _plain(name, _decoded(column))
    if _is_raw(kind):
        return column.cast(pa.large_binary()).cast(pa.large_string())
    if pa.types.is_string_view(kind):
        return column.cast(pa.large_string())
    return decimals_as_numbers(column)


def decimals_as_numbers(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """A column of exact decimals as whole numbers where its type allows no others, else as floats; others as they
    are."""
    kind = column.type
    if not pa.types.is_decimal(kind):
        return column
    whole = kind.scale == 0 and kind.precision < 19
    return column.cast(pa.int64() if whole else pa.float64())


def without_views(table: pa.Table) -> pa.Table:
    """The table with text by views as plain text, because Arrow can neither take nor filter views."""
    for at, field in enumerate(table.schema):
        if pa.types.is_string_view(field.type):
            table = table.set_column(at, field.name, table.column(at).cast(pa.string()))
    return table


def _decoded(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """The values of a column of codes; text by views can be neither taken nor cast within a dictionary."""
    kind = column.type.value_type
    kind = pa.large_string() if pa.types.is_string_view(kind) else kind
    return pa.chunked_array([part.dictionary.cast(kind).take(part.indices) for part in column.chunks], kind)


def _moments(name: str, column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Dates and times in a form that pandas and Python can tell; a zone that nobody knows is left off, as UTC."""
    kind = column.type
    if pa.types.is_date(kind):
        column = _cast_moments(name, column, pa.timestamp("s" if pa.types.is_date32(kind) else "ms"))
    elif kind.tz is not None and not _is_zone(kind.tz):
        column = column.cast(pa.timestamp(kind.unit))
    years = pc.min_max(pc.year(column)) if len(column) else {"min": pa.scalar(None), "max": pa.scalar(None)}
    first, last = years["min"].as_py(), years["max"].as_py()
    if first is not None and not _FIRST_YEAR <= first <= last <= _LAST_YEAR:
        raise ColumnValuesError.beyond_years(name)
    to = pa.timestamp("us", column.type.tz)
    return column if pa.types.is_timestamp(kind) and kind.unit != "s" else _cast_moments(name, column, to)


def _cast_moments(name: str, column: pa.ChunkedArray, to: pa.DataType) -> pa.ChunkedArray:
    try:
        return column.cast(to)
    except pa.ArrowInvalid as error:
        raise ColumnValuesError.beyond_years(name) from error


def _is_zone(name: str) -> bool:
    if name[:1] in "+-":
        return True
    try:
        ZoneInfo(name)
    except (KeyError, ValueError, OSError):
        return False
    return True
