"""`gauger look`: what each column of a table is, before anything is done with it."""

from pathlib import Path
from typing import Annotated

import typer


def look(
    table: Annotated[Path, typer.Argument(metavar="TABLE", help="A csv or Parquet file: customers, events, anything.")],
    key: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="The column that identifies a customer, if there is one.")
    ] = None,
) -> None:
    """Show each column's role, type, gaps and range, and what a study would stumble over."""
    from gauger import tables
    from gauger.cli import console

    seen = tables.look(tables.read_table(table), key=key)
    console.title(f"{table.name}: {seen.headline()}")
    console.table(seen.columns.assign(skew=seen.columns["skew"].round(2)))
    console.remarks(seen.remarks)
