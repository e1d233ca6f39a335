"""Sheets of a workbook: tables with frozen heads, filters, widths that fit, and number formats."""

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pandas as pd
from xlsxwriter import Workbook
from xlsxwriter.format import Format
from xlsxwriter.worksheet import Worksheet

from gauger.appearance import DIVERGING, INK, PAPER
from gauger.wording import visible

_FORMATS: dict[str, dict[str, Any]] = {
    "title": {"bold": True, "font_size": 16},
    "head": {"bold": True, "bottom": 1, "text_wrap": True, "valign": "bottom"},
    "text": {"text_wrap": True, "valign": "top"},
    "plain": {"valign": "top"},
    "code": {"font_name": "Consolas", "font_size": 9},
    "whole": {"num_format": "#,##0", "valign": "top"},
    "number": {"num_format": "#,##0.00", "valign": "top"},
    "fine": {"num_format": "0.000", "valign": "top"},
    "money": {"num_format": "#,##0.00", "valign": "top"},
    "share": {"num_format": "0%", "valign": "top"},
    "index": {"num_format": "0", "valign": "top"},
    "p": {"num_format": '[<0.001]"< 0.001";0.000', "valign": "top"},
}
"""How each kind of cell looks; sizes in points."""

_NARROWEST, _WIDEST = 8, 70
"""Widths of columns, in letters."""

_LINE = 15.0
"""The height of a line, in points."""

_LONGEST = 32_767
"""Letters that a cell holds."""

_MONEY = re.compile(r"(^|_)(spend|spent|revenue|amount|price|cost|sales|turnover|income|fee|value|money)(_|$)", re.I)
"""Names of columns that hold money: judgement."""


def number_format(measure: str, values: "pd.Series[float]") -> str:
    """The format that suits a measure: money, whole numbers, or numbers with the places that tell them apart."""
    if _MONEY.search(measure) and "share" not in measure:
        return "money"
    known = values.dropna().abs()
    return "fine" if len(known) and float(known.max()) < 10.0 else "number"


@dataclass
class Sheet:
    """One sheet, written from the top."""

    sheet: Worksheet
    formats: dict[str, Format]
    row: int = 0

    def line(self, text: str, kind: str = "plain") -> None:
        """A line of text; a long one goes over two columns' width."""
        if kind == "text":
            self.sheet.merge_range(self.row, 0, self.row, 1, _text(text), self.formats["text"])
            self.sheet.set_row(self.row, 16.0 * max(1, math.ceil(len(text) / 125)))
        else:
            self.sheet.write_string(self.row, 0, _text(text), self.formats[kind])
        self.row += 1

    def pair(self, name: str, value: str) -> None:
        """A name and what it is."""
        self.sheet.write_string(self.row, 0, _text(name), self.formats["plain"])
        self.sheet.write_string(self.row, 1, _text(value), self.formats["text"])
        self.row += 1

    def widths(self, *letters: int) -> None:
        """How wide the first columns are."""
        for column, width in enumerate(letters):
            self.sheet.set_column(column, column, width)

    def table(
        self,
        head: Sequence[str],
        rows: Sequence[Sequence[Any]],
        formats: Sequence[str],
        *,
        formats_of_rows: Sequence[str] = (),
    ) -> None:
        """A table with a frozen head and filters; `formats_of_rows` are those of numbers from the fourth column on."""
        widths = [_width(name, [row[column] for row in rows]) for column, name in enumerate(head)]
        for column, (name, width) in enumerate(zip(head, widths, strict=True)):
            self.sheet.write_string(0, column, _text(name), self.formats["head"])
            self.sheet.set_column(column, column, width, self.formats[formats[column]])
        self.sheet.set_row(0, _LINE * max(_lines(name, width) for name, width in zip(head, widths, strict=True)))
        wrapped = [column for column, kind in enumerate(formats) if kind == "text" and widths[column] >= _WIDEST]
        for at, row in enumerate(rows, 1):
            if wrapped:
                self.sheet.set_row(at, _LINE * max(_lines(str(row[column]), _WIDEST) for column in wrapped))
            for column, value in enumerate(row):
                kind = formats_of_rows[at - 1] if formats_of_rows and column > 2 else formats[column]
                self._write(at, column, value, self.formats[kind])
        self.sheet.freeze_panes(1, 1)
        if rows:
            self.sheet.autofilter(0, 0, len(rows), len(head) - 1)
        self.row = len(rows) + 1

    def colour_scale(self, top: int, left: int, bottom: int, right: int, *, middle: Any) -> None:
        """Shade cells from low to high, white in the middle, where that is known."""
        if right < left or middle is None or pd.isna(middle):
            return
        ends = {"min_color": DIVERGING[1], "mid_color": PAPER, "max_color": DIVERGING[3]}
        scale: dict[str, Any] = {"type": "3_color_scale", "mid_type": "num", "mid_value": float(middle), **ends}
        self.sheet.conditional_format(top, left, bottom, right, scale)

    def _write(self, row: int, column: int, value: Any, kind: Format) -> None:
        if value is None or (not isinstance(value, str) and pd.isna(value)):
            self.sheet.write_blank(row, column, None, kind)
        elif isinstance(value, (bool, np.bool_)):
            self.sheet.write_boolean(row, column, bool(value), kind)
        elif isinstance(value, (int, float, np.integer, np.floating)) and math.isfinite(value):
            self.sheet.write_number(row, column, float(value) if isinstance(value, np.floating) else value, kind)
        else:
            self.sheet.write_string(row, column, _text(str(value)), kind)


@dataclass
class Sheets:
    """The sheets of a workbook, and the formats that they share."""

    book: Workbook
    formats: dict[str, Format] = field(init=False)

    def __post_init__(self) -> None:
        self.formats = {
            name: self.book.add_format({"font_name": "Calibri", "font_color": INK, **look})
            for name, look in _FORMATS.items()
        }

    def new(self, name: str) -> Sheet:
        """The next sheet, empty."""
        sheet = self.book.add_worksheet(name)
        sheet.set_landscape()
        sheet.fit_to_pages(1, 0)
        return Sheet(sheet, self.formats)


def _text(text: str) -> str:
    return visible(text)[:_LONGEST]


def _width(name: str, cells: Sequence[Any]) -> float:
    """A width that fits: of text the longest, of numbers what they come to in their format."""
    longest = max((len(_shown(cell)) for cell in cells[:10_000]), default=0)
    return min(max(longest + 2, min(len(name), 18) + 3, _NARROWEST), _WIDEST)


def _lines(text: str, width: float) -> int:
    """Lines that a text takes in a column; a little room is left for words that do not fill them."""
    return math.ceil(1.15 * len(text) / width) or 1


def _shown(cell: Any) -> str:
    return f"{cell:,.2f}" if isinstance(cell, (float, np.floating)) else "" if cell is None else str(cell)
