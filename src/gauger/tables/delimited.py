"""Delimited text (csv, tsv): one reader, strict about its lines, at once or block by block."""

import csv
from collections.abc import Iterator, Sequence
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as pa_csv

from gauger.errors import TableFileError
from gauger.remarks import Remark
from gauger.tables.bad_lines import BadLine, keep_bad_lines, refuse_bad_lines
from gauger.tables.formula_escaping import unescaped
from gauger.tables.layout import Layout, find_layout, long_cells
from gauger.tables.text import MISSING_WORDS, Readout, TextFile, fitting_encoding, in_its_encoding
from gauger.tables.type_inference import ReadingRules, typed_columns, without_stand_ins

_BLOCK_BYTES = 16 * 2**20
"""Bytes of a block, and so of the longest cell."""


def read_delimited(file: Path, rules: ReadingRules) -> Readout:
    """Read csv or tsv; delimiter, quote, header and encoding are found out."""

    def read(text: TextFile) -> Readout:
        found = _Delimited(text, rules)
        table, remarks = found.at_once()
        return typed_columns(without_stand_ins(table, rules), rules), remarks

    return in_its_encoding(file, rules.encoding, read)


class DelimitedBlocks:
    """A delimited file of any size as blocks of text columns, by the same rules as at once.

    `names` are its columns, `remarks` what was guessed. Iterating reads it from the start, every time.
    """

    def __init__(self, file: Path, rules: ReadingRules) -> None:
        encoding, remarks = fitting_encoding(file, rules.encoding)
        self._found = _Delimited(TextFile(file, encoding), rules)
        self.names = self._found.layout.columns
        self.remarks = [*remarks, *self._found.remarks]
        self._rules = rules

    def __iter__(self) -> Iterator[pa.Table]:
        for block in self._found.in_blocks():
            yield without_stand_ins(block, self._rules)


class _Delimited:
    """A file, its layout, and the ways to read its text."""

    def __init__(self, text: TextFile, rules: ReadingRules) -> None:
        self.text, self.rules = text, rules
        self.layout: Layout = find_layout(text, rules.header)
        self.remarks: list[Remark] = self.layout.remarks(text, rules.header)
        self._guarded = text.holds("'")

    def at_once(self) -> Readout:
        """All of it, and what there is to say."""
        try:
            return self._as_it_was(self._parsed(skip=False)), self.remarks
        except pa.ArrowInvalid as error:
            bad = self._bad_lines(error)
            assert self.rules.skip_bad_lines is not None
            table = self._as_it_was(self._parsed(skip=True))
            return table, [*self.remarks, *keep_bad_lines(self.text.path, bad, self.rules.skip_bad_lines)]

    def in_blocks(self) -> Iterator[pa.Table]:
        """Block by block; bad lines are refused, by number."""
        reading, parsing, converting = self._options(skip=False)
        reading.block_size = _BLOCK_BYTES
        try:
            with self.text.open_for_arrow() as stream, pa_csv.open_csv(stream, reading, parsing, converting) as reader:
                for batch in reader:
                    yield self._as_it_was(pa.Table.from_batches([batch]))
        except UnicodeError as error:
            raise self.text.not_encoded_so() from error
        except pa.ArrowInvalid as error:
            if "Empty CSV" in str(error):
                return
            self._bad_lines(error)
            raise

    def _parsed(self, *, skip: bool) -> pa.Table:
        try:
            with self.text.open_for_arrow() as stream:
                return pa_csv.read_csv(stream, *self._options(skip=skip))
        except UnicodeError as error:
            raise self.text.not_encoded_so() from error

    def _options(self, *, skip: bool) -> tuple[pa_csv.ReadOptions, pa_csv.ParseOptions, pa_csv.ConvertOptions]:
        layout = self.layout
        reading = pa_csv.ReadOptions(
            encoding=self.text.encoding,
            column_names=None if layout.header else list(layout.names),
            use_threads=not skip,
        )
        parsing = pa_csv.ParseOptions(
            delimiter=layout.delimiter,
            quote_char=layout.quote,
            newlines_in_values=self.text.holds(layout.quote),
            invalid_row_handler=(lambda _: "skip") if skip else None,
        )
        converting = pa_csv.ConvertOptions(
            column_types={name: pa.string() for name in layout.names},
            null_values=list(MISSING_WORDS),
            strings_can_be_null=True,
        )
        return reading, parsing, converting

    def _as_it_was(self, table: pa.Table) -> pa.Table:
        columns = dict(zip(self.layout.columns, table.columns, strict=True))
        if self._guarded:
            columns = {name: unescaped(column) for name, column in columns.items()}
        return pa.table(columns)

    def _bad_lines(self, error: pa.ArrowInvalid) -> Sequence[BadLine]:
        """The lines at fault, where they are to be skipped; else the error that tells of them is raised."""
        if "UTF8" in str(error):
            raise self.text.not_encoded_so() from error
        with long_cells():
            bad = list(_lines_of_other_width(self.text, self.layout))
        if not bad:
            told = str(error).splitlines()[0].split(":")[0]
            raise TableFileError(f"{self.text.path} cannot be read as delimited text: {told}.") from error
        if self.rules.skip_bad_lines is None:
            raise refuse_bad_lines(self.text.path, bad, f"{len(self.layout.names)} values") from error
        return bad


def _lines_of_other_width(text: TextFile, layout: Layout) -> Iterator[BadLine]:
    """The lines that do not hold as many values as there are columns; slow, and only read when there is one."""
    width = len(layout.names)
    with text.open_text() as stream:
        taken: list[str] = []

        def lines() -> Iterator[str]:
            for line in stream:
                taken.append(line)
                yield line

        rows = csv.reader(lines(), delimiter=layout.delimiter, quotechar=layout.quote)
        number = 1
        while True:
            try:
                cells = next(rows, None)
            except csv.Error as error:
                yield BadLine(number, str(error), "".join(taken).rstrip("\r\n"))
                cells = []
            if cells is None:
                return
            if cells and len(cells) != width:
                yield BadLine(number, str(len(cells)), "".join(taken).rstrip("\r\n"))
            number = rows.line_num + 1
            taken.clear()
