"""`gauger compare`: two segmentations of the same customers, crossed, matched and drawn side by side."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import Preparation, Reading, Replace, Source, option, two_features

if TYPE_CHECKING:
    from gauger.features import FeatureSet
    from gauger.profiling import Comparison
    from gauger.segmentation import Segmentation

COMPARE_FILES = ("crossing.csv", "matches.csv", "side-by-side.png")


def compare(
    *,
    source: Source,
    preparation: Preparation,
    assignments: Annotated[Path, option("FILE", "assignments.csv of `gauger segment` or `gauger tree`.")],
    against: Annotated[Path, option("FILE", "Another assignments.csv, of the same customers.")],
    over: Annotated[str | None, option("X,Y", "Two features for the figure. Default: those that tell most.")] = None,
    out: Annotated[
        Path | None, option("FOLDER", "Also write crossing.csv, matches.csv and the figure side-by-side.png.")
    ] = None,
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Compare two segmentations of the same customers.

    Who is with whom in both, which segment matches which, and how far the two agree. TABLE has the features for the
    figure, which shows both on the same axes.
    """
    from gauger.cli import console
    from gauger.tables import result_folder

    axes = two_features(over)
    if assignments == against:
        raise typer.BadParameter("both sides are the same file.", param_hint="--against")
    with result_folder(out, COMPARE_FILES, replace=replace) if out else nullcontext() as results:
        prepared = preparation.carry_out(reading.read(source))
        from gauger.profiling import compare as compare_segmentations

        found = compare_segmentations(_read(prepared, assignments), _read(prepared, against))
        if results is not None:
            from gauger.drawing import side_by_side

            results.add_table("crossing.csv", found.table.rename(columns=str).reset_index())
            results.add_table("matches.csv", found.matched.reset_index())
            results.add_figure("side-by-side.png", side_by_side(found, *axes))
    _tell(found, str(assignments), str(against))
    console.wrote(results.paths if results is not None else ())


def _read(prepared: "FeatureSet", file: Path) -> "Segmentation":
    from gauger.profiling import segmentation_from_assignments
    from gauger.tables import read_table

    return segmentation_from_assignments(prepared, read_table(file), method=str(file))


def _tell(found: "Comparison", first: str, second: str) -> None:
    from gauger.cli import console

    console.heading(
        f"{found.agreement:.0%} of {len(found.customers):,} customers agree, adjusted Rand {found.adjusted_rand:.2f} "
        "(1: the same, 0: chance)"
    )
    console.say(f"Down: {first}. Across: {second}.")
    console.table(console.largest(console.largest(found.table).T).T.rename(columns=str))
    console.heading("Best match of each segment, one to one")
    shown = found.matched.drop(columns=["name", "other_name"])
    shown = shown.rename(columns={"other": "matches", "share": "share of the segment"})
    shown["share of the segment"] = console.percent(shown["share of the segment"])
    shown["overlap"] = console.percent(shown["overlap"])
    console.table(console.largest(shown))
    if found.answer:
        console.say()
        console.say(found.answer)
    console.remarks(found.remarks)
