"""A table into a file, in the format of the file's ending."""

import csv
import json
from collections.abc import Callable
from pathlib import Path
from typing import Literal

import numpy as np
import pandas as pd
from pandas.api import types

from gauger.errors import TableFileError
from gauger.tables.cells import values_of
from gauger.tables.formula_escaping import escaped, escaped_name
from gauger.tables.spreadsheets import write_spreadsheet
from gauger.tables.text import is_gzip, kind_of_file, writable_text
from gauger.wording import listed, plural


def write_file(table: pd.DataFrame, file: Path) -> None:
    """Write a table without its index; raises TableFileError for an ending that Gauger does not write."""
    kind = kind_of_file(file)
    writer = _WRITERS.get(kind)
    if writer is None or (is_gzip(file) and kind in (".parquet", ".xlsx")):
        known = ", ".join(_WRITERS)
        raise TableFileError(f"{file.name} ends in {file.suffix!r}; Gauger writes {known} files.")
    table = table.rename(columns=str)
    if kind in (".jsonl", ".xlsx"):
        _refuse_infinite(table, file)
    writer(table, file)


def _refuse_infinite(table: pd.DataFrame, file: Path) -> None:
    decimals = {name: table[name] for name in table.columns if types.is_float_dtype(table[name])}
    numbers = {name: column.to_numpy(dtype=np.float64, na_value=np.nan) for name, column in decimals.items()}
    endless = [name for name, values in numbers.items() if np.isinf(values).any()]
    if endless:
        raise TableFileError(
            f"{file.name}: {listed(endless)} {plural(len(endless), 'holds', 'hold')} infinity, which the format "
            "cannot. Write .csv or .parquet."
        )


def _write_csv(table: pd.DataFrame, file: Path) -> None:
    _write_delimited(table, file, ",")


def _write_tsv(table: pd.DataFrame, file: Path) -> None:
    _write_delimited(table, file, "\t")


def _write_delimited(table: pd.DataFrame, file: Path, delimiter: str) -> None:
    texts = [name for name in table.columns if _holds_text(table[name])]
    safe = table.assign(**{name: escaped(table[name].astype("str")) for name in texts})
    # pandas leaves a lone carriage return unquoted, which then ends the line for every reader.
    returns = any(safe[name].str.contains("\r", regex=False).any() for name in texts)
    quoting: Literal[0, 2] = csv.QUOTE_NONNUMERIC if returns else csv.QUOTE_MINIMAL
    with writable_text(file) as stream:
        safe.rename(columns=escaped_name).to_csv(
            stream, sep=delimiter, index=False, lineterminator="\n", quoting=quoting
        )


def _write_json_lines(table: pd.DataFrame, file: Path) -> None:
    columns = [values_of(table[name]) for name in table.columns]
    with writable_text(file) as stream:
        for row in zip(*columns, strict=True):
            record = dict(zip(table.columns, row, strict=True))
            stream.write(json.dumps(record, ensure_ascii=False, default=lambda moment: moment.isoformat()) + "\n")


def _write_parquet(table: pd.DataFrame, file: Path) -> None:
    table.to_parquet(file, index=False)


def _holds_text(column: pd.Series) -> bool:
    return (
        types.is_string_dtype(column) or types.is_object_dtype(column) or isinstance(column.dtype, pd.CategoricalDtype)
    )


_WRITERS: dict[str, Callable[[pd.DataFrame, Path], None]] = {
    ".csv": _write_csv,
    ".tsv": _write_tsv,
    ".jsonl": _write_json_lines,
    ".parquet": _write_parquet,
    ".xlsx": write_spreadsheet,
}
