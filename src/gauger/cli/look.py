"""`gauger look`: what each column of a table is, before anything is done with it."""

import math
import shlex
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import Reading, Replace, Source, typed

if TYPE_CHECKING:
    import pandas as pd

_WHOLE_FROM = 1e5
"""From here on decimals say nothing."""

LOOK_FILES = ("columns.csv", "distributions.png", "correlations.png")


def look(
    *,
    source: Source,
    key: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="The column that identifies a customer, if there is one.")
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Also write columns.csv, distributions.png and correlations.png here."),
    ] = None,
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Show what each column is, and what a study would stumble over.

    A row a column: its role, type, gaps, range and skew; then why it got its role, and the remarks.
    """
    from gauger.cli import console
    from gauger.columns import look as look_at
    from gauger.tables import result_folder

    table = reading.read(source)
    seen = look_at(table, key=key)
    paths: list[Path] = []
    if out is not None:
        from gauger.draw import correlations, distributions

        names = LOOK_FILES[: 1 + min(len(seen.measures), 2)]
        with result_folder(out, names, replace=replace, sources=[source]) as results:
            results.add_table("columns.csv", seen.columns.reset_index())
            for name, draw in zip(names[1:], (distributions, correlations), strict=False):
                results.add_figure(name, draw(table, key))
        paths = results.paths
    console.title(f"{reading.name_of(source)}: {seen.headline()}")
    show_columns(seen.columns.drop(columns="because"))
    console.heading("Why these roles")
    for role, columns in seen.columns.groupby("role", sort=False):
        reasons = columns.groupby("because", sort=False).groups
        console.step(str(role), "; ".join(f"{', '.join(names)}: {because}" for because, names in reasons.items()))
    console.remarks(seen.remarks)
    console.wrote(paths)
    if key is not None and seen.measures:
        console.next_step(f"gauger plan {typed(source, reading)} --key {shlex.quote(key)} --out plan.toml")


def show_columns(columns: "pd.DataFrame") -> None:
    """A row a column, with ranges as they are and the skew to two decimals."""
    from gauger.cli import console

    shown = columns.assign(skew=["–" if math.isnan(value) else f"{value:.2f}" for value in columns["skew"]])
    for name in ("min", "median", "max"):
        shown[name] = columns[name].map(_in_full)
    console.table(shown)


def _in_full(value: object) -> object:
    if not isinstance(value, float) or math.isnan(value):
        return value
    return f"{value:,.0f}" if value.is_integer() or abs(value) >= _WHOLE_FROM else f"{value:,.6g}"
