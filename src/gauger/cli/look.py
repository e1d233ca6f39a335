"""`gauger look`: what each column of a table is, before anything is done with it."""

import math
import shlex
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.customers_in_place import InDatabase, is_several, opened_there
from gauger.cli.options import Reading, Replace, Source, typed

if TYPE_CHECKING:
    from collections.abc import Sequence

    import pandas as pd

    from gauger.columns import TableLook

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
    in_database: InDatabase = False,
    reading: Reading,
) -> None:
    """Show what each column is, and what a study would stumble over.

    One row per column: its role, type, gaps, range and skew; then why it got its role, and the remarks. Several
    files, and with --in-database a table of any size, are looked at where they are, without figures.
    """
    from gauger.cli import console

    seen, paths = (
        _look_there(source, key, reading, out, replace=replace)
        if in_database or is_several(source)
        else _look_at(source, key, reading, out, replace=replace)
    )
    console.title(f"{reading.name_of(source)}: {seen.headline()}")
    show_columns(seen.columns.drop(columns="because"))
    console.heading("Why these roles")
    for role, columns in seen.columns.groupby("role", sort=False):
        reasons = columns.groupby("because", sort=False).groups
        console.step(str(role), "; ".join(f"{', '.join(names)}: {because}" for because, names in reasons.items()))
    console.remarks(seen.remarks)
    console.wrote(paths)
    if key is not None and seen.measures:
        what = f"{typed(source, reading)} --key {shlex.quote(key)}"
        several = f"gauger counts {what} --features {','.join(seen.measures)}"
        console.next_step(several if is_several(source) else f"gauger plan {what} --out plan.toml")


def _look_there(
    source: str, key: str | None, reading: Reading, out: Path | None, *, replace: bool
) -> "tuple[TableLook, Sequence[Path]]":
    from gauger.columns import look as look_at
    from gauger.tables import result_folder

    seen = look_at(opened_there(source, reading), key)
    if out is None:
        return seen, []
    with result_folder(out, LOOK_FILES[:1], replace=replace) as results:
        results.add_table(LOOK_FILES[0], seen.columns.reset_index())
    return seen, results.paths


def _look_at(
    source: str, key: str | None, reading: Reading, out: Path | None, *, replace: bool
) -> "tuple[TableLook, Sequence[Path]]":
    from gauger.columns import look as look_at
    from gauger.tables import result_folder

    table = reading.read(source)
    seen = look_at(table, key=key)
    if out is None:
        return seen, []
    from gauger.draw import correlations, distributions

    names = LOOK_FILES[: 1 + min(len(seen.measures), 2)]
    with result_folder(out, names, replace=replace, sources=[source]) as results:
        results.add_table(names[0], seen.columns.reset_index())
        for name, draw in zip(names[1:], (distributions, correlations), strict=False):
            results.add_figure(name, draw(table, key))
    return seen, results.paths


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
