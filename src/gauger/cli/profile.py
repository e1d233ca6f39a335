"""`gauger profile`: what the customers of each segment are like."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import Key, Reading, Replace, Source

if TYPE_CHECKING:
    import pandas as pd

    from gauger.profiling import Profile

PROFILE_FILES = ("sizes.csv", "means.csv", "medians.csv", "index.csv", "profile.png")


def profile(
    *,
    source: Source,
    key: Key,
    assignments: Annotated[Path, typer.Option(metavar="FILE", help="assignments.csv of `gauger segment`.")],
    out: Annotated[
        Path | None, typer.Option(metavar="FOLDER", help="Also write the tables and the figure profile.png here.")
    ] = None,
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Describe each segment against everyone.

    How many customers, means of every measure of TABLE, and the index (everyone = 100).
    """
    from gauger.cli import console
    from gauger.profiling import profile_assignments
    from gauger.tables import read_table, result_folder

    with result_folder(out, PROFILE_FILES, replace=replace) if out else nullcontext() as results:
        found = profile_assignments(read_table(assignments), reading.read(source), key=key)
        if results is not None:
            from gauger.drawing import profile_bars

            for name, part in found.tables.items():
                results.add_table(f"{name}.csv", part)
            results.add_figure("profile.png", profile_bars(found))
    _show(found)
    console.wrote(results.paths if results is not None else ())


def _show(found: "Profile") -> None:
    """Sizes, then means and index with a row a measure and a column a segment."""
    from gauger.cli import console
    from gauger.profiling import EVERYONE

    console.title(found.headline())
    sizes = console.largest(found.sizes.assign(share=console.percent(found.sizes["share"])))
    console.table(sizes)
    console.heading("Means, in original units")
    console.table(_measures_down(found.means.loc[sizes.index]))
    console.heading("Index: everyone = 100")
    console.table(_measures_down(found.index.loc[sizes.index]).round(0).drop(columns=EVERYONE))
    console.remarks(found.remarks)


def _measures_down(means: "pd.DataFrame") -> "pd.DataFrame":
    turned = means.T
    turned.index.name = "measure"
    return turned
