"""Delimited text (csv, tsv): strict about its lines, careful about its types."""

import csv
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as pa_csv

from gauger.errors import TableFileError, listed
from gauger.remarks import Remark
from gauger.tables.bad_lines import BadLine, keep_bad_lines, refuse_bad_lines
from gauger.tables.checking import refuse_bad_names
from gauger.tables.harmless import name_as_it_was, text_as_it_was
from gauger.tables.proving import ReadingRules, typed_columns, without_stand_ins
from gauger.tables.text import (
    MISSING_WORDS,
    UTF8,
    NotEncodedSoError,
    Readout,
    TextFile,
    in_its_encoding,
    is_gzip,
    kind_of_file,
    likely_encodings,
)

DELIMITERS = ",;\t|"
_VALUE = re.compile(r"[+-]?\d+([.,]\d+)?|\d{4}-\d\d-\d\d.*")


@dataclass(frozen=True)
class Layout:
    """How a delimited file is laid out: its delimiter and quote, its column names, and whether a line names them."""

    delimiter: str
    quote: str
    names: tuple[str, ...]
    header: bool


def read_delimited(file: Path, rules: ReadingRules) -> Readout:
    """Read csv or tsv; delimiter, quote, header and encoding are found out."""
    return in_its_encoding(file, rules.encoding, lambda text: _read(text, rules))


def plain_layout(file: Path) -> Layout | None:
    """The layout of a file that any reader of csv would read alike: UTF-8, named columns, no text made harmless."""
    if kind_of_file(file) not in (".csv", ".tsv") or is_gzip(file) or likely_encodings(file, None)[0] != UTF8:
        return None
    text = TextFile(file, UTF8)
    try:
        layout = find_layout(text, None)
    except NotEncodedSoError:
        return None
    return layout if layout.header and not text.holds("'") else None


def find_layout(text: TextFile, header: bool | None) -> Layout:
    """The layout of a delimited file, from its first line."""
    with text.open_text() as stream:
        line = stream.readline()
        delimiter = max(DELIMITERS, key=line.count)
        quote = "'" if line.startswith("'") and f"'{delimiter}'" in line else '"'
        stream.seek(0)
        try:
            cells = next(csv.reader(stream, delimiter=delimiter, quotechar=quote), [])
        except csv.Error as error:
            raise TableFileError(f"{text.path} is not delimited text: {error}.") from error
    if "\0" in line:
        raise TableFileError(f"{text.path} is not text: its first line holds zero bytes. Export it again as csv.")
    named = not _looks_like_data(cells) if header is None else header
    if not named:
        return Layout(delimiter, quote, tuple(f"column_{place}" for place in range(1, len(cells) + 1)), header=False)
    refuse_bad_names(str(text.path), [name_as_it_was(name) for name in cells])
    return Layout(delimiter, quote, tuple(cells), header=True)


def _read(text: TextFile, rules: ReadingRules) -> Readout:
    layout = find_layout(text, rules.header)
    remarks = [] if layout.header or rules.header is False else [_header_missing(text, layout)]
    try:
        table = _parse(text, layout, skip=False)
    except pa.ArrowInvalid as error:
        if "UTF8" in str(error):
            raise text.not_encoded_so() from error
        bad = list(_bad_lines(text, layout))
        if not bad:
            raise TableFileError(f"{text.path} cannot be read as delimited text: {error}.") from error
        if rules.skip_bad_lines is None:
            raise refuse_bad_lines(text.path, bad, f"{len(layout.names)} values") from error
        table = _parse(text, layout, skip=True)
        remarks += keep_bad_lines(text.path, bad, rules.skip_bad_lines)
    columns = dict(zip(map(name_as_it_was, layout.names), table.columns, strict=True))
    if text.holds("'"):
        columns = {name: text_as_it_was(column) for name, column in columns.items()}
    return typed_columns(without_stand_ins(pa.table(columns), rules), rules), remarks


def _parse(text: TextFile, layout: Layout, *, skip: bool) -> pa.Table:
    reading = pa_csv.ReadOptions(
        encoding=text.encoding, column_names=None if layout.header else list(layout.names), use_threads=not skip
    )
    parsing = pa_csv.ParseOptions(
        delimiter=layout.delimiter,
        quote_char=layout.quote,
        newlines_in_values=text.holds(layout.quote),
        invalid_row_handler=(lambda _: "skip") if skip else None,
    )
    converting = pa_csv.ConvertOptions(
        column_types={name: pa.string() for name in layout.names},
        null_values=list(MISSING_WORDS),
        strings_can_be_null=True,
    )
    try:
        with text.open_for_arrow() as stream:
            return pa_csv.read_csv(stream, reading, parsing, converting)
    except UnicodeError as error:
        raise text.not_encoded_so() from error


def _bad_lines(text: TextFile, layout: Layout) -> Iterator[BadLine]:
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
        for cells in rows:
            if cells and len(cells) != width:
                yield BadLine(number, str(len(cells)), "".join(taken).rstrip("\r\n"))
            number = rows.line_num + 1
            taken.clear()


def _looks_like_data(cells: Sequence[str]) -> bool:
    """Whether a first line holds values; numbers or dates that rise from cell to cell are periods, and thus names."""
    values = [cell for cell in cells if _VALUE.fullmatch(cell)]
    if not values:
        return False
    keys = [(int(value), "") if value.isdigit() else (0, value) for value in values]
    return len(values) < 2 or not all(early < late for early, late in pairwise(keys))


def _header_missing(text: TextFile, layout: Layout) -> Remark:
    return Remark(
        "header-missing",
        f"the first line of {text.path.name} looks like data, not like names, so its columns are called "
        f"{listed(layout.names)}. If it names them, say header=True (on the command line: --header).",
    )
