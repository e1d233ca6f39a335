"""A file that blocks of Arrow columns are written to, one after the other: csv or Parquet, as its ending says."""

from pathlib import Path
from types import TracebackType

import pyarrow as pa
import pyarrow.csv as pa_csv
import pyarrow.parquet as pq

from gauger.tables.formula_escaping import escaped_arrow, escaped_name

BLOCK_ENDINGS = (".csv", ".parquet")


class BlockWriter:
    """Writes blocks of one schema; a file that no block came for is not there."""

    def __init__(self, path: Path, *, header: bool = True) -> None:
        self._path, self._header = path, header
        self._writer: pq.ParquetWriter | pa_csv.CSVWriter | None = None

    def __enter__(self) -> "BlockWriter":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._writer is not None:
            self._writer.close()

    def write(self, block: pa.Table) -> None:
        """Write one block more."""
        if self._path.suffix == ".csv":
            columns = zip(block.column_names, block.columns, strict=True)
            block = pa.table({escaped_name(name): _plain(column) for name, column in columns})
        if self._writer is None:
            self._writer = self._opened(block.schema)
        self._writer.write_table(block)

    def _opened(self, schema: pa.Schema) -> "pq.ParquetWriter | pa_csv.CSVWriter":
        if self._path.suffix != ".csv":
            return pq.ParquetWriter(self._path, schema)
        options = pa_csv.WriteOptions(include_header=self._header, quoting_style="needed")
        return pa_csv.CSVWriter(self._path, schema, write_options=options)


def _plain(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Words instead of codes, and text that no spreadsheet takes for a formula."""
    if pa.types.is_dictionary(column.type):
        column = column.cast(column.type.value_type)
    if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        return escaped_arrow(column)
    return column
