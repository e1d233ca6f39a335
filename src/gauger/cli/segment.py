"""`gauger segment`: split customers into segments and write who is in which."""

from pathlib import Path
from typing import Annotated

import typer

from gauger.cli.counts import tell_advice
from gauger.cli.options import (
    Cap,
    Features,
    Key,
    MaxRounds,
    Missing,
    Preparation,
    Replace,
    Scale,
    Seed,
    Starts,
    TablePath,
)

SEGMENT_FILES = ("assignments.csv", "centres.csv", "segments.png")


def segment(
    table: TablePath,
    key: Key,
    count: Annotated[str, typer.Option(metavar="K|auto", help="How many segments; auto follows the advice.")],
    out: Annotated[Path, typer.Option(metavar="FOLDER", help="Where the results go.")],
    features: Features = None,
    missing: Missing = "refuse",
    cap: Cap = None,
    scale: Scale = "zscore",
    starts: Starts = 10,
    max_rounds: MaxRounds = 300,
    seed: Seed = 0,
    replace: Replace = False,
) -> None:
    """Split customers into segments by k-means and write assignments, centres and a figure."""
    from gauger.choosing import study_counts
    from gauger.cli import console
    from gauger.clustering import segment_by_kmeans
    from gauger.drawing import profile_bars, scatter
    from gauger.profiling import profile as describe
    from gauger.tables import ResultFolder

    if count != "auto" and not count.isdigit():
        raise typer.BadParameter(f"{count!r} is neither a whole number nor auto.", param_hint="--count")
    with ResultFolder(out, SEGMENT_FILES, replace=replace) as results:
        prepared = Preparation(key, features, missing, cap, scale).carry_out(table)
        if count == "auto":
            most = min(10, len(prepared.keys))
            study = study_counts(prepared, counts=range(1, most + 1), starts=starts, max_rounds=max_rounds, seed=seed)
            tell_advice(study.advice)
            seg = study.segmentations[study.advice.count]
        else:
            seg = segment_by_kmeans(prepared, int(count), starts=starts, max_rounds=max_rounds, seed=seed)
        shown = seg.overview()
        results.add_table("assignments.csv", seg.assignments)
        results.add_table("centres.csv", shown.reset_index())
        several = len(prepared.names) > 1
        figure = scatter(seg) if several else profile_bars(describe(seg))
        figure.savefig(results.path("segments.png"))
    console.heading(f"{seg.headline()}, centres in original units")
    console.table(shown)
    console.remarks(seg.remarks)
    console.wrote(results.paths)
    console.say(f"Next: gauger profile {table} --key {key} --assignments {out / 'assignments.csv'}")
