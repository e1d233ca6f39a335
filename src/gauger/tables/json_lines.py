"""JSON lines: one object a line."""

import json
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import pyarrow as pa
import pyarrow.json as pa_json

from gauger.columns import without_odd_columns
from gauger.errors import TableFileError
from gauger.tables.bad_lines import BadLine, keep_bad_lines, refuse_bad_lines
from gauger.tables.cells import column_of, joined
from gauger.tables.text import UTF8, Readout, TextFile, fitting_encoding, in_its_encoding
from gauger.tables.type_inference import ReadingRules, apply_rules, as_dates

_CHUNK = 2**24
"""Bytes looked at together for nested values."""
_BLOCK_LETTERS = 2**25
"""Letters of a block of lines: decides nothing but memory."""


def read_json_lines(file: Path, rules: ReadingRules) -> Readout:
    """Read a file with a JSON object on every line; values stay what they are, ISO dates become dates."""
    return in_its_encoding(file, rules.encoding, lambda text: _read(text, rules))


def _read(text: TextFile, rules: ReadingRules) -> Readout:
    table, remarks = None, []
    if text.encoding == UTF8 and _is_flat(text):
        table = _read_at_once(text)
    if table is None:
        table, bad = _read_line_by_line(text)
        if bad and rules.skip_bad_lines is None:
            raise refuse_bad_lines(text.path, bad, "one JSON object")
        if bad and rules.skip_bad_lines is not None:
            remarks = keep_bad_lines(text.path, bad, rules.skip_bad_lines)
    return apply_rules(table, rules, iso_dates=True), remarks


class JsonLineBlocks:
    """A file of JSON lines of any size as blocks of columns; types are those of each block, names those of the first.

    A value within a value is left out, as it is when the file is read at once.
    """

    def __init__(self, file: Path, rules: ReadingRules) -> None:
        self._file, self._rules = file, rules
        first = next(self._blocks(), None)
        if first is None:
            raise TableFileError(f"{file} has no rows. Check the export that made it.")
        self.names: list[str] = first.column_names

    def of(self, columns: Sequence[str]) -> Iterator[pa.Table]:
        """Some columns, block by block; nothing where a block has no value."""
        for block in self._blocks():
            lacking = [name for name in columns if name not in block.column_names]
            for name in lacking:
                block = block.append_column(name, pa.nulls(block.num_rows, pa.float64()))
            yield block.select(list(columns))

    def _blocks(self) -> Iterator[pa.Table]:
        encoding, _ = fitting_encoding(self._file, self._rules.encoding)
        text = TextFile(self._file, encoding)
        with tempfile.TemporaryDirectory(prefix="gauger-lines-") as folder:
            piece = Path(folder) / "block.jsonl"
            with text.open_text() as stream:
                while lines := stream.readlines(_BLOCK_LETTERS):
                    piece.write_text("".join(lines), encoding=UTF8, newline="")
                    yield without_odd_columns(self._read(piece))[0]

    def _read(self, piece: Path) -> pa.Table:
        try:
            return read_json_lines(piece, replace(self._rules, encoding=UTF8))[0]
        except TableFileError:
            read_json_lines(self._file, self._rules)  # tells the same of the file itself, by its own lines
            raise


def _is_flat(text: TextFile) -> bool:
    """Whether no line can hold a value within a value: quicker readers than Python's own break down on deep ones."""
    opened = lines = 0
    with text.open_bytes() as stream:
        while data := stream.read(_CHUNK):
            opened += data.count(b"{") + data.count(b"[")
            lines += data.count(b"\n")
    return opened <= lines + 1


def _read_at_once(text: TextFile) -> pa.Table | None:
    """The table, or None when a line is malformed or a column mixes kinds of values."""
    try:
        with text.open_for_arrow() as stream:
            table = pa_json.read_json(stream)
        table.validate(full=True)
        table = _with_zones(text, table)
    except pa.ArrowInvalid as error:
        if "UTF8" in str(error):
            raise text.not_encoded_so() from error
        return None
    return pa.table({name: _without_nulls(table[name]) for name in table.column_names})


def _with_zones(text: TextFile, table: pa.Table) -> pa.Table:
    """The table with its moments read from their text: Arrow's reader forgets their zones."""
    moments = [field.name for field in table.schema if pa.types.is_timestamp(field.type)]
    if not moments:
        return table
    schema = pa.schema([(name, pa.string()) for name in moments])
    with text.open_for_arrow() as stream:
        written = pa_json.read_json(stream, parse_options=pa_json.ParseOptions(explicit_schema=schema))
    for name in moments:
        dates = as_dates(written[name])
        if dates is not None:
            table = table.set_column(table.column_names.index(name), name, dates)
    return table


def _without_nulls(column: pa.ChunkedArray) -> pa.ChunkedArray:
    if pa.types.is_timestamp(column.type):
        return column.cast(pa.timestamp("us", tz=column.type.tz))
    return column.cast(pa.float64()) if pa.types.is_null(column.type) else column


def _read_line_by_line(text: TextFile) -> tuple[pa.Table, list[BadLine]]:
    bad: list[BadLine] = []
    records = []
    with text.open_text() as stream:
        for number, line in enumerate(stream, 1):
            if not line.strip():
                continue
            try:
                record = json.loads(line)
            except (ValueError, RecursionError) as error:
                fault = error.msg if isinstance(error, json.JSONDecodeError) else "no JSON that can be read"
                bad.append(BadLine(number, fault, line.rstrip("\r\n")))
                continue
            if isinstance(record, dict):
                records.append(record)
            else:
                bad.append(BadLine(number, f"a {type(record).__name__}", line.rstrip("\r\n")))
    names = list(dict.fromkeys(name for record in records for name in record))
    values = {name: [record.get(name) for record in records] for name in names}
    return pa.table({name: _column(column) for name, column in values.items()}), bad


def _column(values: list[object]) -> pa.ChunkedArray:
    """A column's values; one with lists or objects among them as lists, which readers leave out."""
    if any(isinstance(value, (dict, list)) for value in values):
        return pa.chunked_array([pa.nulls(len(values), pa.list_(pa.null()))])
    return joined([column_of(values)])
