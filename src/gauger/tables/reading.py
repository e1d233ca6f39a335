"""Read a table from an open format or a database, keeping every value what it is."""

import struct
import zlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from os import PathLike
from pathlib import Path
from zipfile import BadZipFile

import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq

from gauger.columns import in_their_order, refuse_bad_names, to_pandas, without_odd_columns
from gauger.errors import GaugerError, MissingFileError, SettingError, TableFileError
from gauger.progress import task
from gauger.remarks import attach_remarks
from gauger.tables.approvals import approve_typed
from gauger.tables.bad_lines import refuse_to_replace
from gauger.tables.databases import is_url, read_database, without_password
from gauger.tables.delimited import read_delimited
from gauger.tables.json_lines import read_json_lines
from gauger.tables.sessions import read_duckdb
from gauger.tables.spreadsheets import read_spreadsheet
from gauger.tables.text import Readout, kind_of_file
from gauger.tables.type_inference import ReadingRules, apply_rules
from gauger.wording import LONGEST_PART, listed, plural, shortened

_FOREIGN = {b"PAR1": "a Parquet file", b"PK\x03\x04": "a spreadsheet or a zip archive", b"\x1f\x8b": "a gzip archive"}
_FAULTS_OF_READERS = (
    *(ArithmeticError, AssertionError, AttributeError, EOFError, LookupError, OSError, RuntimeError),
    *(SyntaxError, TypeError, ValueError, MemoryError, zlib.error, BadZipFile, struct.error, pa.ArrowException),
)
"""What readers raise of damaged files; theirs are many, and none says more than that the file is damaged."""
_MAGIC = {".parquet": b"PAR1", ".xlsx": b"PK\x03\x04", ".gz": b"\x1f\x8b"}


def read_table(
    source: str | PathLike[str],
    *,
    sheet: str | None = None,
    table: str | None = None,
    query: str | None = None,
    decimal: str = ".",
    thousands: str | None = None,
    dates: str | Mapping[str, str] | None = None,
    as_text: Sequence[str] = (),
    as_missing: Mapping[str, object] | None = None,
    header: bool | None = None,
    encoding: str | None = None,
    skip_bad_lines: str | PathLike[str] | None = None,
) -> pd.DataFrame:
    """Read a file, or a table of a database, as a DataFrame.

    Values keep their nature: whole numbers stay whole (also where some are missing), codes such as `00417` or `4E5`
    stay text, ISO dates become dates. In delimited text the delimiter, the quotes, the encoding (UTF-8, UTF-16,
    Windows-1252) and whether the first line names the columns are found out, and an empty cell, `NA`, `N/A`, `NaN`,
    `null` and `None` are missing values. What cannot be found out is told.

    Parameters
    ----------
    source : str or path-like
        A path that ends in .csv, .tsv or .jsonl (also with .gz), .parquet or .xlsx; or a database's URL, such as
        `sqlite:///shop.db`, `duckdb:///shop.duckdb` or `postgresql://user@host/shop`. A password in it is never
        repeated.
    sheet : str, optional
        The sheet of a workbook; by default the first.
    table, query : str, optional
        The table of a database, or a query instead.
    decimal, thousands : str, optional
        The marks of numbers in text, such as "," and "."; by default a point, and none.
    dates : str or mapping, optional
        The format of dates, such as "%d.%m.%Y", or by column: `{"joined": "%d.%m.%Y"}`.
    as_text : sequence of str, optional
        Columns that stay text, whatever they look like.
    as_missing : mapping, optional
        By column, the value that stands for none, as it is written: `{"age": 999}`.
    header : bool, optional
        Whether the first line names the columns.
    encoding : str, optional
        The encoding of text.
    skip_bad_lines : str or path-like, optional
        A new file: malformed lines go there, with number and fault, instead of being an error.

    Returns
    -------
    pandas.DataFrame
        A row a record. `remarks_of(result)` tells of guesses and of lines that were skipped.

    Raises
    ------
    MissingFileError
        When there is no such file.
    TableFileError
        When the file is empty, has no rows, repeats a column name, or is not what its ending says; with the numbers of
        malformed lines.
    DatabaseError, UnknownTableError, MissingPackageError
        When a database cannot be reached, has no such table, or needs a package that is not installed.
    SettingError
        For a setting that the format does not have.

    Examples
    --------
    >>> import gauger
    >>> visits = gauger.read_table(gauger.demo_file("visits.csv"))
    >>> len(visits), visits["seats"].dtype.name
    (36855, 'int64')
    """
    if isinstance(as_text, str):
        raise SettingError(f"as_text={as_text!r} must be a list of names: as_text=[{as_text!r}].")
    if not isinstance(source, (str, PathLike)):
        raise SettingError(f"a source is the path of a file or a database's URL, not {type(source).__name__}.")
    kept = None if skip_bad_lines is None else Path(skip_bad_lines)
    if kept is not None:
        refuse_to_replace(kept)
    rules = ReadingRules(decimal, thousands, dates, tuple(as_text), as_missing or {}, header, encoding, kept)
    if isinstance(source, str) and is_url(source):
        _refuse_setting("sheet", sheet, "a workbook (.xlsx)")
        approve_typed(source, query)
        name = without_password(source)
        read = read_duckdb if source.startswith("duckdb:") else read_database
        found, remarks = read(source, table, query, rules)
    else:
        for setting, value in (("table", table), ("query", query)):
            _refuse_setting(setting, value, "a database, by URL")
        name = str(source)
        found, remarks = read_file(Path(source), sheet, rules)
    if not found.num_rows:
        raise TableFileError(f"{name} has a header but no rows. Check the export or the query that made it.")
    result = in_their_order(to_pandas(found), found)
    del found
    pa.default_memory_pool().release_unused()  # what text took is of no use any more
    if remarks:
        attach_remarks(result, remarks)
    return result


def refuse_unreadable(file: Path) -> None:
    """Raise unless a file is there, holds something, and begins as its ending promises."""
    try:
        there = file.exists()
    except OSError as error:  # such as a name that no file can have
        raise TableFileError(f"{shortened(str(file), LONGEST_PART)} cannot be opened: {error.strerror}.") from error
    if not there:
        raise MissingFileError.at(file)
    if file.is_dir():
        raise TableFileError(f"{file} is a folder; give the file to read.")
    if kind_of_file(file) not in READABLE:
        known = ", ".join(READABLE)
        raise TableFileError(f"{file} ends in {file.suffix!r}; Gauger reads {known} files. Save it as one of these.")
    try:
        with file.open("rb") as stream:
            head = stream.read(4)
    except OSError as error:
        raise TableFileError(f"{file} cannot be opened: {error.strerror}.") from error
    if not head:
        raise TableFileError(f"{file} is empty. Check the export that made it.")
    found = next((what for magic, what in _FOREIGN.items() if head.startswith(magic)), None)
    expected = _FOREIGN.get(_MAGIC.get(file.suffix.lower(), b""))
    if found != expected:
        what = found or f"not {expected}"
        raise TableFileError(
            f"{file} is not what its ending says: it is {what}. Give it the right ending, or export it again."
        )


def read_file(file: Path, sheet: str | None, rules: ReadingRules) -> Readout:
    """A file as an Arrow table, and what there is to say of it."""
    refuse_unreadable(file)
    if file.suffix.lower() != ".xlsx":
        _refuse_setting("sheet", sheet, "a workbook (.xlsx)")
    with damage(file):
        if file.suffix.lower() == ".xlsx":
            table, remarks = read_spreadsheet(file, sheet, rules)
        else:
            with task(f"reading {file.name}"):
                table, remarks = _TEXT_AND_PARQUET[kind_of_file(file)](file, rules)
        table, odd = without_odd_columns(table)
    if not table.num_columns:
        raise TableFileError(f"{file} has no column of single values. Flatten its lists and objects.")
    return table, [*remarks, *odd]


@contextmanager
def damage(file: Path) -> Iterator[None]:
    """What goes wrong in a reader of somebody else's bytes, as one error that quotes no cell."""
    try:
        yield
    except GaugerError:
        raise
    except _FAULTS_OF_READERS as error:
        raise TableFileError.damaged(file, error) from error


def _read_parquet(file: Path, rules: ReadingRules) -> Readout:
    refuse_bad_names(str(file), pq.read_schema(file).names, "its columns")
    table = pq.read_table(file)
    refuse_bad_text(file, table)
    table, remarks = without_odd_columns(table)
    return apply_rules(table, rules, iso_dates=False), remarks


def refuse_bad_text(file: Path, table: pa.Table) -> None:
    """Raise TableFileError, by the names of columns, where what should be text is none."""
    bad = []
    for name in table.column_names:
        try:
            table[name].validate(full=True)
        except pa.ArrowInvalid:
            bad.append(name)
    if bad:
        raise TableFileError(
            f"{file}: {listed(map(repr, bad))} {plural(len(bad), 'holds', 'hold')} bytes that are no text in UTF-8. "
            "Export it again."
        )


def _refuse_setting(name: str, value: object, fits: str) -> None:
    if value is not None:
        raise SettingError(f"{name}={value!r} is for {fits}; leave it out.")


_TEXT_AND_PARQUET: dict[str, Callable[[Path, ReadingRules], Readout]] = {
    ".csv": read_delimited,
    ".tsv": read_delimited,
    ".jsonl": read_json_lines,
    ".parquet": _read_parquet,
}
READABLE = (*_TEXT_AND_PARQUET, ".xlsx")
