"""Tables of a page: text in cells, what a column is sorted by, and the first column as the rows' headers."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import pandas as pd

from gauger.wording import percent, plain_number

MOST_ACROSS = 7
"""Segments beside each other in a table: as many as an A4 page has room for."""


@dataclass(frozen=True)
class Cell:
    """What a cell says, its value where it is sorted by a number, its shade from -3 to 3, and other figures it can
    show instead by their names."""

    text: str
    value: float | None = None
    shade: int = 0
    others: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class HtmlTable:
    """A caption, the heads of the columns, and rows of cells, the first being the row's own head."""

    caption: str
    head: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]
    numeric: tuple[bool, ...] = ()


def number_cell(value: object) -> Cell:
    """A number as people write it; a dash where there is none."""
    if value is None or pd.isna(value):  # type: ignore[call-overload]
        return Cell("–")
    number = float(value)  # type: ignore[arg-type]
    return Cell("∞" if np.isinf(number) else plain_number(number), number)


def share_cell(value: object) -> Cell:
    """A share as a percentage; a dash where there is none."""
    if value is None or pd.isna(value):  # type: ignore[call-overload]
        return Cell("–")
    return Cell(percent(float(value)), float(value))  # type: ignore[arg-type]


def p_cell(value: object) -> Cell:
    """A p: below 0.001 that says enough."""
    if value is None or pd.isna(value):  # type: ignore[call-overload]
        return Cell("–")
    number = float(value)  # type: ignore[arg-type]
    return Cell("< 0.001" if number < 0.001 else f"{number:.3f}", number)


def table_of(caption: str, head: Sequence[str], rows: Sequence[Sequence[Cell]]) -> HtmlTable:
    """A table whose columns are numbers where every cell has a value or is a dash."""
    numeric = [all(cell.value is not None or cell.text == "–" for cell in column) for column in zip(*rows, strict=True)]
    return HtmlTable(caption, tuple(head), tuple(map(tuple, rows)), tuple(numeric) or (False,) * len(head))


def blocks_of(numbers: Sequence[int]) -> list[tuple[int, ...]]:
    """Segments in blocks that fit beside each other, as even as can be."""
    blocks = -(-len(numbers) // MOST_ACROSS) or 1
    width = -(-len(numbers) // blocks) or 1
    return [tuple(numbers[at : at + width]) for at in range(0, len(numbers), width)]
