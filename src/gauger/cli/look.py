"""`gauger look`: what each column of a table is, before anything is done with it."""

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

if TYPE_CHECKING:
    import pandas as pd


def look(
    table: Annotated[Path, typer.Argument(metavar="TABLE", help="A csv or Parquet file: customers, events, anything.")],
    key: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="The column that identifies a customer, if there is one.")
    ] = None,
) -> None:
    """Show what each column is, and what a study would stumble over.

    A row a column: its role, type, gaps, range and skew; then the remarks.
    """
    from gauger import tables
    from gauger.cli import console

    seen = tables.look(tables.read_table(table), key=key)
    console.title(f"{table.name}: {seen.headline()}")
    show_columns(seen.columns)
    console.remarks(seen.remarks)


def show_columns(columns: "pd.DataFrame") -> None:
    """A row a column, with ranges as they are and the skew to two decimals."""
    from gauger.cli import console

    shown = columns.assign(skew=["–" if math.isnan(value) else f"{value:.2f}" for value in columns["skew"]])
    for name in ("min", "median", "max"):
        shown[name] = columns[name].map(_in_full)
    console.table(shown)


def _in_full(value: object) -> object:
    if not isinstance(value, float):
        return value
    return f"{value:,.0f}" if value.is_integer() else f"{value:,.6g}"
