"""A file that blocks of Arrow columns are written to, one after the other: csv or Parquet, as its ending says."""

import shutil
from collections.abc import Sequence
from pathlib import Path
from types import TracebackType

import pyarrow as pa
import pyarrow.csv as pa_csv
import pyarrow.parquet as pq

from gauger.tables.formula_escaping import escaped_arrow, escaped_name

BLOCK_ENDINGS = (".csv", ".parquet")

_COPIED = 2**22
"""Bytes copied at a time."""


class BlockWriter:
    """Writes blocks of one schema; a file that no block came for is not there."""

    def __init__(self, path: Path) -> None:
        self._path = path
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
            words = [
                field.name for field in schema if pa.types.is_dictionary(field.type) or pa.types.is_string(field.type)
            ]
            return pq.ParquetWriter(self._path, schema, use_dictionary=words)  # of numbers few repeat
        options = pa_csv.WriteOptions(quoting_style="needed")
        return pa_csv.CSVWriter(self._path, schema, write_options=options)


def _plain(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Words instead of codes, and text that no spreadsheet takes for a formula."""
    if pa.types.is_dictionary(column.type):
        column = column.cast(column.type.value_type)
    if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        return escaped_arrow(column)
    return column


def join_pieces(pieces: Sequence[Path], target: Path) -> None:
    """Join files that blocks were written to into one, and remove them; some may not be there, for they had no rows."""
    there = [piece for piece in pieces if piece.exists()]
    if target.suffix == ".csv":
        _join_csv(there, target)
    else:
        with BlockWriter(target) as writer:
            for piece in there:
                source = pq.ParquetFile(piece, pre_buffer=False)
                for group in range(source.num_row_groups):
                    writer.write(source.read_row_group(group))
    for piece in there:
        piece.unlink()


def _join_csv(pieces: Sequence[Path], target: Path) -> None:
    with target.open("wb") as out:
        for number, piece in enumerate(pieces):
            with piece.open("rb") as stream:
                if number:
                    stream.readline()
                shutil.copyfileobj(stream, out, _COPIED)
