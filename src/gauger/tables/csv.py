"""Comma-separated text: strict about its lines, careful about its types."""

import csv
from collections import Counter
from pathlib import Path

import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pa_csv

from gauger.errors import TableFileError, listed, plural
from gauger.tables.arrow import to_pandas

MISSING_WORDS = ("", "NA", "N/A", "NaN", "nan", "null", "NULL", "None")
DELIMITERS = ",;\t"

_WHOLE = r"^-?(0|[1-9]\d*)$"
_DECIMAL = r"^[+-]?(0|[1-9]\d*)?(\.\d*)?([eE][+-]?\d+)?$|^[+-]?(inf|Inf|INF)$"
_CODE = r"^[+-]?0\d|^\+\d+$|^\d+[eE]\d+$|^[+-]?$|^[+-]?\.?[eE]"
_FLAG = r"^(true|false|True|False|TRUE|FALSE)$"
_DATE = r"^\d{4}-\d{2}-\d{2}([T ]\d{2}:\d{2}(:\d{2}(\.\d{1,6})?)?)?$"


def read_csv(file: Path) -> pd.DataFrame:
    """Read a UTF-8 csv file whose first line names the columns; the delimiter is found in that line."""
    header, delimiter = _read_header(file)
    parse = pa_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True)
    convert = pa_csv.ConvertOptions(
        column_types={name: pa.string() for name in header},
        null_values=list(MISSING_WORDS),
        strings_can_be_null=True,
    )
    try:
        table = pa_csv.read_csv(file, parse_options=parse, convert_options=convert)
    except pa.ArrowInvalid as error:
        raise _explain(file, delimiter, len(header), error) from error
    return to_pandas(pa.table({name: as_typed(table[name]) for name in header}))


def as_typed(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """A text column as whole numbers, decimals, flags or dates when every value is one, else as it is."""
    if column.null_count == len(column):
        return column.cast(pa.float64())
    if _all_match(column, _WHOLE):
        return _cast(column, pa.int64())
    if _all_match(column, _DECIMAL) and not _any_match(column, _CODE):
        return _cast(column, pa.float64())
    if _all_match(column, _FLAG):
        return _cast(pc.utf8_lower(column), pa.bool_())
    if _all_match(column, _DATE):
        return _cast(column, pa.timestamp("us"))
    return column


def _cast(column: pa.ChunkedArray, to: pa.DataType) -> pa.ChunkedArray:
    """The column as another type, or as it is when a value does not fit, such as the 31st of February."""
    try:
        return column.cast(to)
    except pa.ArrowInvalid:
        return column


def _all_match(column: pa.ChunkedArray, pattern: str) -> bool:
    head = pc.match_substring_regex(column.slice(0, 1000), pattern)
    if pc.all(head).as_py() is False:
        return False
    return pc.all(pc.match_substring_regex(column, pattern)).as_py() is not False


def _any_match(column: pa.ChunkedArray, pattern: str) -> bool:
    return bool(pc.any(pc.match_substring_regex(column, pattern)).as_py())


def _read_header(file: Path) -> tuple[list[str], str]:
    try:
        with file.open(encoding="utf-8-sig", newline="") as stream:
            line = stream.readline()
            delimiter = max(DELIMITERS, key=line.count)
            stream.seek(0)
            header = next(csv.reader(stream, delimiter=delimiter), [])
    except UnicodeDecodeError as error:
        raise TableFileError(f"{file} is not UTF-8 text ({error.reason}). Save it again as UTF-8.") from error
    except csv.Error as error:
        raise TableFileError(f"{file} is not a csv file: {error}.") from error
    if "\0" in line:
        raise TableFileError(f"{file} is not a csv file: its first line is not text. Export it again as csv.")
    repeats = [name for name, times in Counter(header).items() if times > 1]
    if repeats:
        raise TableFileError(f"{file} names {listed(map(repr, repeats))} more than once. Rename the columns.")
    blank = [str(place) for place, name in enumerate(header, 1) if not name.strip()]
    if blank or not header:
        places = f" for column {listed(blank)}" if blank else ""
        raise TableFileError(f"{file} has no name{places} in its first line. The first line must name every column.")
    return header, delimiter


def _explain(file: Path, delimiter: str, width: int, error: pa.ArrowInvalid) -> TableFileError:
    """Name the lines at fault: read once more on one thread, which counts lines."""
    if "UTF8" in str(error) or "UTF-8" in str(error):
        return TableFileError(f"{file} is not UTF-8 text. Save it again as UTF-8.")
    faults: list[pa_csv.InvalidRow] = []

    def note(row: pa_csv.InvalidRow) -> str:
        faults.append(row)
        return "skip"

    parse = pa_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True, invalid_row_handler=note)
    try:
        pa_csv.read_csv(file, read_options=pa_csv.ReadOptions(use_threads=False), parse_options=parse)
    except pa.ArrowInvalid:
        faults.clear()
    if not faults:
        return TableFileError(f"{file} cannot be read as csv: {error}.")
    places = listed([f"line {row.number} ({row.actual_columns})" for row in faults])
    return TableFileError(
        f"{file}: {len(faults):,} {plural(len(faults), 'line has', 'lines have')} not {width} values: {places}. "
        "Correct or remove them; a value that holds the delimiter needs quotes around it."
    )
