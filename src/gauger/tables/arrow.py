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
        mapper = _WHOLE.get if column.null_count else None
        kept = column.cast(pa.timestamp("us")) if pa.types.is_date(column.type) else column
        columns[name] = kept.to_pandas(types_mapper=mapper).reset_index(drop=True)
    return pd.DataFrame(columns)
