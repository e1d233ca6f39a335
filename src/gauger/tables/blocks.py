"""Any file as blocks of rows, in constant memory where its format allows it, by the same rules as `read_table`."""

from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq

from gauger.columns import MOST_EXACT, refuse_bad_names, to_pandas, without_views
from gauger.errors import UnknownColumnError
from gauger.remarks import Remark
from gauger.tables.delimited import DelimitedBlocks
from gauger.tables.json_lines import JsonLineBlocks
from gauger.tables.reading import damage, read_file, refuse_bad_text, refuse_unreadable
from gauger.tables.text import kind_of_file
from gauger.tables.type_inference import ReadingRules, typed_columns

DELIMITED = (".csv", ".tsv")

_BLOCK_ROWS = 65_536
"""Rows of a block: decides nothing but memory."""


class FileBlocks:
    """A file as blocks of Arrow tables; `names` are its columns, `rows` how many there are, where the file says so.

    Columns of csv and tsv are text, with gaps where a cell is missing; those of other formats have the types of the
    file. Workbooks are one block. Of Parquet only some row `groups` may be read. Raises as `read_table` does.
    """

    def __init__(self, file: Path, rules: ReadingRules | None = None, *, groups: Sequence[int] | None = None) -> None:
        refuse_unreadable(file)
        self.file, self._rules, self._groups = file, rules or ReadingRules(), groups
        self.rows: int | None = None
        self.remarks: list[Remark] = []
        self._whole: pa.Table | None = None
        self._delimited: DelimitedBlocks | None = None
        self._lines: JsonLineBlocks | None = None
        kind = kind_of_file(file)
        if kind in DELIMITED:
            with damage(file):
                self._delimited = DelimitedBlocks(file, self._rules)
            self.names, self.remarks = self._delimited.names, self._delimited.remarks
        elif kind == ".parquet":
            with damage(file):
                known = pq.ParquetFile(file)
                self.names, self.rows = known.schema_arrow.names, known.metadata.num_rows
            refuse_bad_names(str(file), self.names, "its columns")
        elif kind == ".jsonl":
            with damage(file):
                self._lines = JsonLineBlocks(file, self._rules)
            self.names = self._lines.names
        else:
            self._whole, self.remarks = read_file(file, None, self._rules)
            self.names, self.rows = self._whole.column_names, self._whole.num_rows

    @property
    def is_delimited(self) -> bool:
        """Whether the file is csv or tsv, whose columns are text."""
        return self._delimited is not None

    @property
    def is_parquet(self) -> bool:
        """Whether the file is Parquet."""
        return kind_of_file(self.file) == ".parquet"

    def of(self, columns: Sequence[str]) -> Iterator[pa.Table]:
        """Some columns, block by block; at least one block unless there is no row."""
        if not set(columns) <= set(self.names):
            raise UnknownColumnError.among(columns, self.names)
        with damage(self.file):
            if self._delimited is not None:
                for block in self._delimited:
                    yield block.select(columns)
            elif self._lines is not None:
                yield from self._lines.of(columns)
            elif self._whole is not None:
                yield self._whole.select(columns)
            else:
                source = pq.ParquetFile(self.file, pre_buffer=False)  # or what was read stays in memory
                groups = None if self._groups is None else list(self._groups)
                batches = source.iter_batches(
                    _BLOCK_ROWS, row_groups=groups, columns=list(columns), use_threads=self._groups is None
                )
                for batch in batches:
                    block = pa.Table.from_batches([batch])
                    refuse_bad_text(self.file, block)
                    yield without_views(block)


def head_of_file(file: Path, rows: int) -> tuple[pd.DataFrame, int]:
    """The first rows of a Parquet file, and how many there are in all."""
    source = pq.ParquetFile(file)
    blocks, seen = [], 0
    for batch in source.iter_batches(_BLOCK_ROWS):
        blocks.append(batch)
        seen += batch.num_rows
        if seen >= rows:
            break
    table = pa.Table.from_batches(blocks, source.schema_arrow).slice(0, rows)
    return to_pandas(table), source.metadata.num_rows


def with_numbers(block: pa.Table, names: Iterable[str], rules: ReadingRules | None = None) -> pa.Table:
    """A block of text with numbers in the columns that measures are read from, by the rules of the reader."""
    plain = rules is None or (rules.decimal, rules.thousands) == (".", None)
    for name in names:
        if pa.types.is_string(block[name].type):
            try:
                numbers = block[name].cast(pa.float64()) if plain else None
            except pa.ArrowInvalid:
                numbers = None
            if numbers is not None and not (pc.max(pc.abs(numbers)).as_py() or 0.0) <= MOST_EXACT:
                numbers = None
            # Flags, marks of thousands, whole numbers whose digits count; the caller says what is not a number.
            if numbers is None:
                numbers = typed_columns(block.select([name]), rules or ReadingRules())[name]
            block = block.set_column(block.column_names.index(name), name, numbers)
    return block
