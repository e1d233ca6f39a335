"""A table from anywhere: a DataFrame, or whatever hands out an Arrow stream or speaks the dataframe protocol."""

from collections import Counter
from collections.abc import Sequence
from typing import Any, Protocol, TypeAlias, TypeGuard, runtime_checkable

import pandas as pd
import pyarrow as pa
from pyarrow.interchange import from_dataframe

from gauger.columns.arrow import in_their_order, to_pandas, without_odd_columns
from gauger.columns.open_table import OpenTable
from gauger.errors import SettingError
from gauger.remarks import attach_remarks
from gauger.wording import listed


@runtime_checkable
class ArrowStream(Protocol):
    """Hands its rows out as an Arrow stream: polars, pyarrow, DuckDB's relations."""

    def __arrow_c_stream__(self, requested_schema: object | None = None) -> object:
        """The stream, in the Arrow PyCapsule interface."""


@runtime_checkable
class Interchange(Protocol):
    """Speaks the dataframe interchange protocol."""

    def __dataframe__(self, nan_as_null: bool = False, allow_copy: bool = True) -> Any:
        """The columns, in that protocol's words."""


AnyTable: TypeAlias = pd.DataFrame | ArrowStream | Interchange
"""What every function that asks for a table takes."""


def is_table(value: object) -> TypeGuard[AnyTable]:
    """Whether `whole_table` takes it; a single column, which has a dtype, is none."""
    return isinstance(value, pd.DataFrame | ArrowStream | Interchange) and not hasattr(value, "dtype")


def whole_table(value: AnyTable) -> pd.DataFrame:
    """The table as a DataFrame: a DataFrame as it is, anything else read once, with its levels in their order.

    Columns of lists and the like are left out, with a remark. Raises SettingError for what is no table.
    """
    if isinstance(value, pd.DataFrame):
        return value
    if _is_dask(value):
        return whole_table(value.compute())  # type: ignore[union-attr]
    if not is_table(value):
        raise SettingError(_no_table(value))
    if isinstance(value, ArrowStream):
        _refuse_unspeakable(value)
        return _of_arrow(_enums_in_order(pa.table(value), value))
    return _of_arrow(from_dataframe(value))


def refuse_repeated_names(names: Sequence[str]) -> None:
    """Raise SettingError where a table names a column twice."""
    twice = [name for name, times in Counter(names).items() if times > 1]
    if twice:
        raise SettingError(f"the table has {listed(map(repr, twice))} more than once. Rename or drop the repeats.")


def _of_arrow(table: pa.Table) -> pd.DataFrame:
    refuse_repeated_names(table.column_names)
    plain, odd = without_odd_columns(table)
    frame = in_their_order(to_pandas(plain), plain)
    if odd:
        attach_remarks(frame, odd)
    return frame


def _refuse_unspeakable(value: ArrowStream) -> None:
    """Raise SettingError for a name that no Arrow stream can carry: some packages end the process over it."""
    names = getattr(value, "columns", ())
    odd = [at for at, name in enumerate(names if isinstance(names, list) else (), 1) if "\x00" in str(name)]
    if odd:
        raise SettingError(f"the name of column {odd[0]} holds a NUL sign, which cannot be handed on. Rename it first.")


def _is_dask(value: object) -> bool:
    return type(value).__module__.startswith("dask.") and hasattr(value, "compute")


def _enums_in_order(table: pa.Table, source: object) -> pa.Table:
    """DuckDB's enumerations have an order, which its Arrow stream does not tell."""
    if not type(source).__module__.split(".")[0].endswith("duckdb"):
        return table
    for at, (field, kind) in enumerate(zip(table.schema, source.types, strict=True)):  # type: ignore[attr-defined]
        if kind.id == "enum":
            ordered = pa.dictionary(field.type.index_type, field.type.value_type, ordered=True)
            table = table.set_column(at, field.name, table.column(at).cast(ordered))
    return table


def _no_table(value: object) -> str:
    kind = type(value).__name__
    if isinstance(value, OpenTable):
        return (
            "a table in memory is wanted here, and an open table stays where it is: gauger.read_table(…) reads it. "
            "Open tables go to look, summarise_events, prepare, SegmentModel.assign and drift; profile(segments) needs "
            "none."
        )
    if isinstance(value, str) or hasattr(value, "__fspath__"):
        return "a table is wanted here, not where one is: gauger.read_table(…) reads it."
    if hasattr(value, "collect"):
        return f"a table is wanted here, and a {kind} is a query: call its .collect() first."
    return (
        "a table must be a pandas DataFrame, or hand out an Arrow stream as polars, pyarrow and DuckDB do; this is a "
        f"{kind}: pandas.DataFrame(…) makes one of it."
    )
