"""`gauger segment`: split customers into segments and write who is in which."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.counts import tell_advice
from gauger.cli.options import MaxRounds, Preparation, Reading, Replace, Seed, Source, Starts, split_names, typed

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from gauger.features import FeatureSet
    from gauger.segmentation import Segmentation

SEGMENT_FILES = ("assignments.csv", "centres.csv", "segments.png", "spread.png", "rounds.png")


def segment(
    *,
    source: Source,
    preparation: Preparation,
    count: Annotated[str, typer.Option(metavar="K|auto", help="How many segments; auto follows the advice.")],
    out: Annotated[Path, typer.Option(metavar="FOLDER", help="Where the results go.")],
    over: Annotated[
        str | None,
        typer.Option(metavar="X,Y", help="Two features for the figure. Default: those that tell segments apart best."),
    ] = None,
    seeding: Annotated[
        str,
        typer.Option(metavar="WORD", help="Where starts begin: kmeans++, random, or first (rows of the table)."),
    ] = "kmeans++",
    learn_on: Annotated[
        float | None,
        typer.Option(metavar="N|SHARE", help="Learn on that many customers, or that share; everyone is assigned."),
    ] = None,
    starts: Starts = 10,
    max_rounds: MaxRounds = 300,
    seed: Seed = 0,
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Split customers into segments and write who is in which.

    By k-means; writes assignments.csv, centres.csv and figures: segments.png (who is where), spread.png (each segment's
    centre and the spread around it) and rounds.png (how k-means came to rest).
    """
    from gauger.cli import console
    from gauger.tables import result_folder

    if count != "auto" and not count.isdigit():
        raise typer.BadParameter(f"{count!r} is neither a whole number nor auto.", param_hint="--count")
    axes = split_names(over) if over else []
    if over and len(axes) != 2:
        raise typer.BadParameter(f"{over!r} must name two features: X,Y.", param_hint="--over")
    with result_folder(out, SEGMENT_FILES, replace=replace) as results:
        prepared = preparation.carry_out(reading.read(source))
        if count == "auto":
            asked = _advised_count(prepared, starts=starts, max_rounds=max_rounds, seed=seed)
        else:
            asked = int(count)
        from gauger.clustering import segment_by_kmeans

        seg = segment_by_kmeans(
            prepared, asked, seeding=seeding, starts=starts, max_rounds=max_rounds, learn_on=learn_on, seed=seed
        )
        shown = seg.overview()
        results.add_table("assignments.csv", seg.assignments)
        results.add_table("centres.csv", shown.reset_index())
        results.add_figure("segments.png", _draw(seg, *axes))
        from gauger.drawing import round_history, segment_spread

        results.add_figure("spread.png", segment_spread(seg))
        results.add_figure("rounds.png", round_history(seg))
    console.heading(f"{seg.headline()}, centres in original units")
    console.segments(shown)
    console.remarks(seg.remarks)
    console.wrote(results.paths)
    console.next_step(
        f"gauger profile {typed(source, reading)} --key {preparation.key} --assignments {out / 'assignments.csv'}"
    )


def _advised_count(prepared: "FeatureSet", *, starts: int, max_rounds: int, seed: int) -> int:
    from gauger.choosing import study_counts
    from gauger.choosing.counts import possible_counts

    counts = possible_counts(prepared)
    study = study_counts(prepared, counts=counts, starts=starts, max_rounds=max_rounds, seed=seed)
    tell_advice(study.advice)
    return study.advice.count


def _draw(seg: "Segmentation", *axes: str) -> "Figure":
    from gauger.drawing import profile_bars, scatter
    from gauger.profiling import profile

    return scatter(seg, *axes) if axes or len(seg.features.names) > 1 else profile_bars(profile(seg))
