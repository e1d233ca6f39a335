"""`gauger profile`: what the customers of each segment are like."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import Key, Reading, Replace, Source

if TYPE_CHECKING:
    import pandas as pd

    from gauger.profiling import Profile

_TABLES = (
    *("sizes", "means", "medians", "lower_quartiles", "upper_quartiles", "spreads", "index", "scores", "measures"),
    *("categories", "category_index", "drivers", "associations", "rules", "names"),
)
PROFILE_FILES = (*(f"{name}.csv" for name in _TABLES), "profile.png")


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

    How many customers, what is typical in every measure of TABLE (the median where a long tail moves the mean), the
    index (everyone = 100), which measures set segments apart, and a short rule and a suggested name for each.
    """
    from gauger.cli import console
    from gauger.profiling import profile_assignments
    from gauger.tables import read_table, result_folder

    with result_folder(out, PROFILE_FILES, replace=replace) if out else nullcontext() as results:
        found = profile_assignments(read_table(assignments), reading.read(source), key=key)
        if results is not None:
            from gauger.drawing import profile_bars

            for name in _TABLES:
                results.add_table(f"{name}.csv", found.tables[name])
            results.add_figure("profile.png", profile_bars(found))
    _show(found)
    console.wrote(results.paths if results is not None else ())


_MOST_DRIVERS, _TINY_P, _SHARES = 12, 0.001, ("share_of_segment", "share_of_matching")


def _show(found: "Profile") -> None:
    """Sizes, then what is typical, the index, drivers, rules and names; measures go down, segments across."""
    from gauger.cli import console
    from gauger.profiling import EVERYONE

    console.title(found.headline())
    shares = {name: console.percent(found.sizes[name]) for name in found.sizes.columns if name.startswith("share")}
    sizes = console.largest(found.sizes.assign(**shares))
    console.table(sizes)
    if len(found.measures):
        console.heading("Typical, in original units: the median where there is a long tail, else the mean")
        typical = _measures_down(found.typical.loc[sizes.index])
        typical["leads"] = found.measures["leads"]
        console.table(typical)
        console.heading("Index of the means: everyone = 100")
        console.table(_measures_down(found.index.loc[sizes.index]).round(0).drop(columns=EVERYONE))
        console.heading("What sets segments apart: share of a measure's variance, or of its ranks', between them")
        drivers = found.drivers[["effect", "F", "p"]].head(_MOST_DRIVERS)
        console.table(drivers.assign(p=["< 0.001" if p < _TINY_P else f"{p:.3f}" for p in drivers["p"]]))
        console.heading("In a rule, and in a name")
        rules = found.rules.assign(**{name: console.percent(found.rules[name]) for name in _SHARES})
        for number in [row for row in sizes.index if row in rules.index]:
            rule = rules.loc[number]
            worth = f"{rule['share_of_segment']} of the segment, {rule['share_of_matching']} of those who match"
            console.say(f"{number}  {found.suggested_names[number]}: {rule['rule']} ({worth})")
    console.remarks(found.remarks)


def _measures_down(means: "pd.DataFrame") -> "pd.DataFrame":
    turned = means.T
    turned.index.name = "measure"
    return turned
