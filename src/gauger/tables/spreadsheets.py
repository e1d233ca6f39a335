"""xlsx workbooks: one sheet read, one sheet written, every cell the kind of value it is."""

import contextlib
import datetime
import warnings
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import pandas as pd
import pyarrow as pa

from gauger.columns import refuse_bad_names
from gauger.errors import SettingError, TableFileError
from gauger.progress import task
from gauger.remarks import Remark
from gauger.tables.cells import column_of, joined, values_of
from gauger.tables.text import MISSING_WORDS, Readout
from gauger.tables.type_inference import ReadingRules, apply_rules, as_typed
from gauger.wording import listed, nearest

MOST_ROWS = 1_048_575
"""Rows below the first that a sheet of the format holds."""

MOST_SIGNS = 32_767
"""Characters that a cell of the format holds."""

MOST_DIGITS = 15
"""A spreadsheet keeps this many digits of a number; longer whole numbers are written as text."""

_FAULTS = ("#N/A", "#DIV/0!", "#NAME?", "#NULL!", "#NUM!", "#REF!", "#VALUE!")
_NO_VALUE = frozenset({*MISSING_WORDS, *_FAULTS})


def read_spreadsheet(file: Path, sheet: str | None, rules: ReadingRules) -> Readout:
    """Read one sheet of a workbook, by default the first; its first row names the columns."""
    import openpyxl

    with file.open("rb") as stream:  # what fails half-way must leave no file open
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of styles and drawings, which hold no values
            book = openpyxl.load_workbook(stream, read_only=True, data_only=True)
        names = book.sheetnames
        if sheet is not None and sheet not in names:
            near = nearest(sheet, names)
            hint = f" Did you mean {near}?" if near else ""
            raise SettingError(f"{file} has no sheet {sheet!r}; it has {listed(map(repr, names), most=12)}.{hint}")
        chosen = book[sheet or names[0]]
        with task(f"reading {file.name}", chosen.max_row) as advance:
            rows = _rows(chosen.iter_rows(values_only=True), advance)
    table = _as_table(file, rows)
    return apply_rules(table, rules, iso_dates=False), _others_remark(file, names, sheet)


def write_spreadsheet(table: pd.DataFrame, file: Path) -> None:
    """Write a table as the one sheet of a workbook; text stays text, whatever it starts with."""
    import openpyxl
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.utils.exceptions import IllegalCharacterError

    if len(table) > MOST_ROWS:
        raise TableFileError(
            f"{file.name}: a sheet holds {MOST_ROWS:,} rows, not {len(table):,}. Write .csv or .parquet."
        )
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet("table")

    def cell(value: object) -> object:
        if not isinstance(value, str):
            return value
        if len(value) > MOST_SIGNS:
            raise TableFileError(
                f"{file.name}: a text has {len(value):,} characters, and a cell of a sheet holds {MOST_SIGNS:,}. Write "
                ".csv or .parquet."
            )
        made = WriteOnlyCell(sheet, value)
        made.data_type = "s"  # else a text that starts with = would be a formula
        return made

    columns = [_cells_of(table[name]) for name in table.columns]
    try:
        sheet.append([cell(str(name)) for name in table.columns])
        for row in zip(*columns, strict=True):
            sheet.append([cell(value) for value in row])
        book.save(file)
    except BaseException as error:
        with contextlib.suppress(
            Exception
        ):  # a sheet that is left open complains later, of a full disk for the second time
            sheet.close()
        if isinstance(error, IllegalCharacterError):
            raise TableFileError(
                f"{file.name}: a text holds a control character, which xlsx cannot. Write .csv."
            ) from error
        raise


def _rows(rows: Iterator[tuple[object, ...]], advance: Callable[[int], None]) -> list[tuple[object, ...]]:
    kept = []
    for row in rows:
        kept.append(tuple(None if isinstance(cell, str) and cell in _NO_VALUE else cell for cell in row))
        advance(1)
    while kept and all(cell is None for cell in kept[-1]):
        kept.pop()
    return kept


def _as_table(file: Path, rows: Sequence[tuple[object, ...]]) -> pa.Table:
    if not rows:
        raise TableFileError(f"{file} has no value on this sheet. Name another: sheet='…' (--sheet).")
    width = max((index for row in rows for index, cell in enumerate(row, 1) if cell is not None), default=0)
    names = [None if index >= len(rows[0]) or rows[0][index] is None else str(rows[0][index]) for index in range(width)]
    refuse_bad_names(str(file), names, "the first row of the sheet")
    filled = [(*row, *([None] * (width - len(row)))) for row in rows[1:]]
    columns = {str(name): joined([column_of([row[index] for row in filled])]) for index, name in enumerate(names)}
    return pa.table({name: _long_numbers(column) for name, column in columns.items()})


def _long_numbers(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Whole numbers too long for a spreadsheet stand in it as text: as the numbers they are."""
    if not pa.types.is_string(column.type) or not any(len(text or "") > MOST_DIGITS for text in column.to_pylist()):
        return column
    typed = as_typed(column)
    return typed if pa.types.is_integer(typed.type) else column


def _others_remark(file: Path, names: Sequence[str], sheet: str | None) -> list[Remark]:
    others = names[1:] if sheet is None else []
    if not others:
        return []
    return [
        Remark(
            "other-sheets",
            f"{file.name} was read from its first sheet, {names[0]!r}; it also has {listed(map(repr, others))}. "
            "Name another with sheet='…' (on the command line: --sheet).",
        )
    ]


def _cells_of(column: pd.Series) -> list[object]:
    """The values to write; whole numbers too long for a spreadsheet as text."""
    values = values_of(column)
    long = pd.api.types.is_integer_dtype(column) and any(len(str(value)) > MOST_DIGITS for value in values if value)
    if long:
        return [None if value is None else str(value) for value in values]
    # A spreadsheet's clock has no zone: the time on the wall is kept.
    return [value.replace(tzinfo=None) if isinstance(value, datetime.datetime) else value for value in values]
