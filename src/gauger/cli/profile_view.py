"""A profile in a terminal: what sets each segment apart, on one screen; or every table."""

from typing import TYPE_CHECKING

from gauger.wording import listed, plain_number

if TYPE_CHECKING:
    import pandas as pd

    from gauger.profiling import Profile

_TOLD_MEASURES = 3
"""Measures told of each segment."""

_KNOWN_OF_FEW = 0.5
"""A category known of fewer than this share of the customers is said to be, first."""

_OF_TESTS = ("significance",)
"""Remarks on what only the whole profile prints: p."""

_MOST_DRIVERS, _TINY_P, _SHARES = 12, 0.001, ("share_of_segment", "share_of_matching")
"""Drivers shown, and the p below which "< 0.001" says enough."""


def show_profile(found: "Profile", *, whole: bool) -> None:
    """Each segment in a few lines; `whole` adds every table."""
    from gauger.cli import console

    console.title(found.headline())
    if len(found.measures):
        console.say("Medians, or means where there is no long tail; everyone's in brackets.")
    _show_little_known(found)
    sizes = console.largest(found.sizes)
    for number in sizes.index:
        if isinstance(number, int):
            _show_segment(found, number)
    _show_orders(found)
    if whole:
        _show_all(found)
    else:
        console.say()
        console.say("More: --all for every measure, the index and the drivers; --out FOLDER for tables and figures.")
    console.remarks(remark for remark in found.remarks if whole or remark.code not in _OF_TESTS)


def _show_little_known(found: "Profile") -> None:
    """The categories that are known of fewer than half of the customers."""
    from gauger.cli import console
    from gauger.segmentation import EVERYONE

    customers = int(found.sizes.loc[[EVERYONE], "customers"].iloc[0])
    known = found.known[EVERYONE] if len(found.known) else found.known
    few = [
        f"{name} ({int(known[name]):,} of {customers:,})"
        for name in known.index
        if known[name] < _KNOWN_OF_FEW * customers
    ]
    if few:
        who = found.noun.many
        console.say(f"Known of fewer than half of the {who}: {listed(few, most=6)}. Their shares are of those.")


def _show_segment(found: "Profile", number: int) -> None:
    from gauger.cli import console
    from gauger.profiling import (
        mixed_up_with,
        own_levels,
        own_measures,
        own_rule,
        shares_in_words,
        what_it_is_called,
    )

    customers = found.noun.counted(int(found.sizes.loc[[number], "customers"].iloc[0]))
    shares = ", ".join(shares_in_words(found, number))
    console.heading(f"{number}  {what_it_is_called(found, number)}: {customers}, {shares}")
    measures = own_measures(found, number, _TOLD_MEASURES)
    lines = {
        "apart by": ", ".join(f"{one.name} {plain_number(one.own)} ({plain_number(one.everyone)})" for one in measures),
        "more often": ", ".join(own_levels(found, number)),
        "rule": own_rule(found, number),
        "like": mixed_up_with(found, number),
    }
    for label, text in lines.items():
        if text:
            console.step(f"   {label}", text)


def _show_orders(found: "Profile") -> None:
    from gauger.cli import console

    by_numbers = [name for name, way in found.ordered.items() if way == "numbers"]
    if by_numbers:
        console.say()
        console.say(
            f"{listed(by_numbers, most=6)}: levels stand in the order of the numbers in their names (else: --ordered)."
        )


def _show_all(found: "Profile") -> None:
    """Sizes, then what is typical, the index, drivers, categories and overlap; measures go down, segments across."""
    from gauger.cli import console
    from gauger.segmentation import EVERYONE

    shares = {
        name: console.percent_column(found.sizes[name]) for name in found.sizes.columns if name.startswith("share")
    }
    sizes = console.largest(found.sizes.assign(**shares))
    console.heading("Sizes")
    console.table(sizes)
    if len(found.measures):
        console.heading("Typical, in original units: the median where there is a long tail, else the mean")
        typical = _measures_down(found.typical.loc[sizes.index])
        typical["leads"] = found.measures["leads"]
        console.table(typical)
        index = found.index.drop(columns=found.differences.columns)
        if len(index.columns):
            console.heading("Index of the means: everyone = 100")
            console.table(_measures_down(index.loc[sizes.index]).round(0).drop(columns=EVERYONE))
        if len(found.differences.columns):
            console.heading("Means less everyone's, of measures around zero, which have no index")
            console.table(_measures_down(found.differences.loc[sizes.index]).drop(columns=EVERYONE))
        console.heading("What sets segments apart: share of a measure's variance, or of its ranks', between them")
        drivers = found.drivers[["effect", "F", "p"]].head(_MOST_DRIVERS)
        console.table(
            drivers.assign(p=["" if p != p else "< 0.001" if p < _TINY_P else f"{p:.3f}" for p in drivers["p"]])
        )
    if len(found.categories):
        console.heading("Categories: the share with each level, among those with a value; counts where few are known")
        console.table(_level_table(found, list(sizes.index)))
    if found.overlap.shape[1]:
        _show_overlap(found.overlap.loc[[row for row in sizes.index if row in found.overlap.index]])


def _level_table(found: "Profile", rows: "list[object]") -> "pd.DataFrame":
    """A row a level, a column a segment, and before each category's levels how many are known."""
    import pandas as pd

    table: dict[str, list[str]] = {}
    for column in found.known.index:
        table[f"{column}: known"] = [f"{int(found.known[row][column]):,}" for row in rows]
        for level in found.categories.loc[[column]].index.get_level_values("level"):
            table[f"  {column} {level}"] = [found.share_in_words(column, level, row) for row in rows]
    shown = pd.DataFrame.from_dict(table, orient="index", columns=[str(row) for row in rows])
    shown.index.name = "level"
    return shown


def _show_overlap(overlap: "pd.DataFrame") -> None:
    from gauger.cli import console

    console.heading("How firmly segments stand: who is nearly as close to the nearest other, and who comes back")
    shown = overlap.assign(near_share=console.percent_column(overlap["near_share"]))
    shown = shown.rename(columns={"nearest": "nearest other", "near_share": "nearly as close"})
    tried = int(overlap["resamples"].max())
    shown = shown.drop(columns=["resamples", "stability_error"]).rename(
        columns={"dissolved": f"dissolved in {tried} resamples"}
    )
    console.table(shown if tried else shown.iloc[:, :2])


def _measures_down(means: "pd.DataFrame") -> "pd.DataFrame":
    turned = means.T
    turned.index.name = "measure"
    return turned
