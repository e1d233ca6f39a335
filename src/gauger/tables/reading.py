"""Read a table from an open format, keeping every value what it is."""

from collections.abc import Callable
from os import PathLike
from pathlib import Path

import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq

from gauger.errors import MissingFileError, TableFileError
from gauger.progress import task
from gauger.tables.arrow import to_pandas
from gauger.tables.csv import read_csv

_FOREIGN = {b"PAR1": "a Parquet file", b"PK\x03\x04": "a spreadsheet or a zip archive", b"\x1f\x8b": "a gzip archive"}


def read_table(path: str | PathLike[str]) -> pd.DataFrame:
    """Read a csv or Parquet file as a DataFrame, one row a line.

    Values keep their nature: whole numbers stay whole (also where some are missing), codes such as `00417` or `4E5`
    stay text, ISO dates become dates. Empty cells, `NA`, `N/A`, `NaN`, `null` and `None` are missing values.

    Raises MissingFileError when there is no such file, and TableFileError when it is empty, has no rows, repeats a
    column name, or is not what its ending says; malformed lines are named by number.

    >>> import gauger
    >>> visits = gauger.read_table(gauger.demo_file("visits.csv"))
    >>> len(visits), visits["seats"].dtype.name
    (36855, 'int64')
    """
    file = Path(path)
    if not file.exists():
        raise MissingFileError.at(file)
    reader = _READERS.get(file.suffix.lower())
    if reader is None:
        known = " and ".join(_READERS)
        raise TableFileError(f"{file} ends in {file.suffix!r}; Gauger reads {known} files. Save it as one of these.")
    if file.is_dir():
        raise TableFileError(f"{file} is a folder; give the file to read.")
    _refuse_foreign(file)
    with task(f"reading {file.name}"):
        table = reader(file)
    if table.empty:
        raise TableFileError(f"{file} has a header but no rows. Check the export that made it.")
    return table


def _refuse_foreign(file: Path) -> None:
    try:
        with file.open("rb") as stream:
            head = stream.read(4)
    except OSError as error:
        raise TableFileError(f"{file} cannot be opened: {error.strerror}.") from error
    if not head:
        raise TableFileError(f"{file} is empty. Check the export that made it.")
    found = next((what for magic, what in _FOREIGN.items() if head.startswith(magic)), None)
    expected = "a Parquet file" if file.suffix.lower() == ".parquet" else None
    if found != expected:
        raise TableFileError(
            f"{file} is not what its ending says: it is {found or 'not a Parquet file'}. "
            "Give it the right ending, or export it again."
        )


def _read_parquet(file: Path) -> pd.DataFrame:
    try:
        return to_pandas(pq.read_table(file))
    except (pa.ArrowInvalid, OSError) as error:
        raise TableFileError(f"{file} is damaged or cut short: {error}. Export it again.") from error


_READERS: dict[str, Callable[[Path], pd.DataFrame]] = {".csv": read_csv, ".parquet": _read_parquet}
