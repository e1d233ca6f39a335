"""`gauger profile`: what the customers of each segment are like, and who is in it."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.customers import MaybeSource, Place
from gauger.cli.options import Preparation, Reading, Replace, option, split_names
from gauger.cli.segmented import segmented_customers

if TYPE_CHECKING:
    import pandas as pd

    from gauger.cli.segmented import SegmentedCustomers
    from gauger.profiling import Profile
    from gauger.tables import Results

MEMBER_FILES = ("members.csv",)

_MOST_DRIVERS, _TINY_P, _SHARES = 12, 0.001, ("share_of_segment", "share_of_matching")
"""Drivers shown, and the p below which "< 0.001" says enough."""

_MOST_MEMBERS, _LINE_WIDTH = 20, 100
"""Customers of a segment shown, and the columns that they must fit."""


def profile(
    *,
    origin: MaybeSource = None,
    preparation: Preparation,
    assignments: Annotated[
        Path | None, option("FILE", "Who is in which segment, for a TABLE. A study knows it.")
    ] = None,
    members: Annotated[
        str | None, option("SEGMENT", "Instead: who is in a segment, by its number, its name, or unassigned.")
    ] = None,
    where: Annotated[str | None, option("CONDITION", "With --members: only those, such as 'visits >= 9'.")] = None,
    sort: Annotated[
        str | None, option("COLUMN", "With --members: order by a column; -COLUMN from the highest.")
    ] = None,
    columns: Annotated[str | None, option("NAMES", "With --members: the columns to show: a,b.")] = None,
    out: Annotated[Path | None, option("FOLDER", "Also write the tables and figures here, or members.csv.")] = None,
    replace: Replace = False,
    place: Place,
    reading: Reading,
) -> None:
    """Describe each segment against everyone, or list who is in one.

    How many customers, what is typical in every measure of TABLE (the median where a long tail moves the mean), the
    index (everyone = 100), which measures set segments apart, and a short rule and a suggested name for each. With the
    features that segments were made of (--features and the options of their preparation) also which segments overlap,
    whether they come back on bootstrap samples, and who is typical.

    Writes a .csv for each table, and figures: profile.png, heat.png, lines.png, bubbles.png, categories.png, and with
    features boxes.png, pairs.png and components.png.
    """
    from gauger.cli import console
    from gauger.study import PROFILE_FILES, PROFILE_FILES_OF_SOME
    from gauger.tables import result_folder

    if members is None and (where or sort or columns):
        raise typer.BadParameter("--where, --sort and --columns go with --members.", param_hint="--members")
    segmented = segmented_customers(origin, place, reading, preparation, assignments)
    files, optional = (PROFILE_FILES, PROFILE_FILES_OF_SOME) if members is None else (MEMBER_FILES, ())
    folder = (
        result_folder(out, files, optional=optional, replace=replace, sources=segmented.files) if out else nullcontext()
    )
    with folder as results:
        if members is not None:
            table = segmented.profiled_table()
            _list_members(segmented.assignments(), table, segmented.key, members, where, sort, columns, results)
        else:
            _describe(segmented, results)
    console.wrote(results.paths if results is not None else ())


def _describe(segmented: "SegmentedCustomers", results: "Results | None") -> None:
    from gauger.profiling import profile as profile_segments
    from gauger.profiling import profile_assignments
    from gauger.study import add_profile_files

    table = segmented.profiled_table()
    seg = segmented.segmentation()
    if seg is not None:
        found = profile_segments(seg, table)
    else:
        found = profile_assignments(segmented.assignments(), table, key=segmented.key)
    if results is not None:
        add_profile_files(results, found, seg)
    _show(found)


def _show(found: "Profile") -> None:
    """Sizes, then what is typical, the index, drivers, rules and names; measures go down, segments across."""
    from gauger.cli import console
    from gauger.segmentation import EVERYONE

    console.title(found.headline())
    shares = {
        name: console.percent_column(found.sizes[name]) for name in found.sizes.columns if name.startswith("share")
    }
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
        console.table(
            drivers.assign(p=["" if p != p else "< 0.001" if p < _TINY_P else f"{p:.3f}" for p in drivers["p"]])
        )
        console.heading("In a rule, and in a name")
        rules = found.rules.assign(**{name: console.percent_column(found.rules[name]) for name in _SHARES})
        for number in [row for row in sizes.index if row in rules.index]:
            rule = rules.loc[number]
            worth = f"{rule['share_of_segment']} of the segment, {rule['share_of_matching']} of those who match"
            console.say(f"{number}  {found.suggested_names[number]}: {rule['rule']} ({worth})")
    if found.overlap.shape[1]:
        _show_overlap(found.overlap.loc[[row for row in sizes.index if row in found.overlap.index]])
    console.remarks(found.remarks)


def _show_overlap(overlap: "pd.DataFrame") -> None:
    from gauger.cli import console

    console.heading("How firmly segments stand: who is nearly as close to the nearest other, and who comes back")
    shown = overlap.assign(near_share=console.percent_column(overlap["near_share"]))
    shown = shown.rename(columns={"nearest": "nearest other", "near_share": "nearly as close"})
    tried = int(overlap["resamples"].max())
    shown = shown.drop(columns="resamples").rename(columns={"dissolved": f"dissolved in {tried} resamples"})
    console.table(shown if tried else shown.iloc[:, :2])


def _measures_down(means: "pd.DataFrame") -> "pd.DataFrame":
    turned = means.T
    turned.index.name = "measure"
    return turned


def _list_members(
    given: "pd.DataFrame",
    table: "pd.DataFrame",
    key: str,
    segment: str,
    where: str | None,
    sort: str | None,
    columns: str | None,
    results: "Results | None",
) -> None:
    """Who is in a segment: as many as a screen holds, all into the file."""
    from gauger.cli import console
    from gauger.profiling import members
    from gauger.remarks import remarks_of

    by, descending = (sort.removeprefix("-"), sort.startswith("-")) if sort else (None, False)
    names = split_names(columns) if columns else None
    found = members(given, table, key=key, segment=segment, where=where, sort=by, descending=descending, columns=names)
    if results is not None:
        results.add_table("members.csv", found)
    condition = f" with {where}" if where else ""
    console.title(f"{len(found):,} customers in segment {segment}{condition}")
    shown = found.head(_MOST_MEMBERS).set_index(key)
    kept = list(shown.columns) if names else _that_fit(shown)
    if len(found):
        console.table(shown[kept])
    parts = [f"the first {_MOST_MEMBERS} customers"] if len(found) > _MOST_MEMBERS else []
    parts += [f"{len(kept)} of {len(shown.columns)} columns"] if len(kept) < len(shown.columns) else []
    if parts and len(found):
        rest = (
            "members.csv has all" if results is not None else "choose with --where and --columns, or write with --out"
        )
        console.say(f"Shown: {' and '.join(parts)}; {rest}.")
    console.remarks(remarks_of(found))


def _that_fit(table: "pd.DataFrame") -> list[str]:
    """The first columns that fit beside each other, those that say the same of everyone shown left out."""
    from gauger.cli import console

    room = _LINE_WIDTH - max([len(str(key)) for key in table.index] + [len(str(table.index.name))])
    kept = []
    for name in table.columns:
        width = max([len(str(name)), *(len(console.cell(value)) for value in table[name])]) + 2
        if name not in ("segment", "segment_name") and width <= room:
            kept.append(name)
            room -= width
    return kept
