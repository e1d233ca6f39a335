"""From Arrow columns to pandas without losing what the values are."""

import pandas as pd
import pyarrow as pa

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


def to_pandas(table: pa.Table) -> pd.DataFrame:
    """The table as a DataFrame; whole numbers and flags with gaps keep their type instead of turning into floats."""
    columns = {}
    for name, column in zip(table.column_names, table.columns, strict=True):
        kept = _plain(column)
        mapper = _WHOLE.get if kept.null_count else None
        columns[name] = kept.to_pandas(types_mapper=mapper).reset_index(drop=True)
    return pd.DataFrame(columns)


def _plain(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Dates as moments, exact decimals as whole numbers or floats, coded text as text, nothing at all as numbers."""
    kind = column.type
    if pa.types.is_date(kind):
        return column.cast(pa.timestamp("us"))
    if pa.types.is_null(kind):
        return column.cast(pa.float64())
    if pa.types.is_dictionary(kind):
        return _plain(column.cast(kind.value_type))
    if pa.types.is_decimal(kind):
        whole = kind.scale == 0 and kind.precision < 19
        return column.cast(pa.int64() if whole else pa.float64())
    return column
