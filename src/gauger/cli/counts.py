"""`gauger counts`: how many segments, with the advice and its reasons."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import MaxIterations, Preparation, Reading, Replace, Seed, Source, Starts, typed
from gauger.wording import plural

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    import pandas as pd

    from gauger.choosing import CountAdvice, CountStudy
    from gauger.remarks import Remark

COUNT_FILES = ("counts.csv", "counts.png", "silhouettes.png", "splits.png", "features.png")

_COUNTS_A_TABLE = 10
"""Counts side by side, so that a table fits 80 columns."""

_SENTENCES = 4
"""Reasons that a terminal shows; `--json` has all."""


def counts(
    *,
    source: Source,
    preparation: Preparation,
    lowest: Annotated[int, typer.Option("--from", metavar="N", help="The lowest count to try.")] = 1,
    highest: Annotated[int, typer.Option("--to", metavar="N", help="The highest count to try.")] = 10,
    starts: Starts = 10,
    max_iterations: MaxIterations = 300,
    seed: Seed = 0,
    json: Annotated[
        bool, typer.Option("--json", help="Print the advice and the table as JSON, and nothing else.")
    ] = False,
    out: Annotated[
        Path | None,
        typer.Option(
            metavar="FOLDER",
            help="Also write counts.csv and figures: counts.png, silhouettes.png, splits.png and features.png.",
        ),
    ] = None,
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Try several numbers of segments and advise one, with reasons."""
    from gauger.cli import console
    from gauger.remarks import remarks_of
    from gauger.tables import result_folder

    tries = range(lowest, highest + 1)
    with result_folder(out, COUNT_FILES, replace=replace, sources=[source]) if out else nullcontext() as results:
        table = reading.read(source)
        prepared = preparation.carry_out(table, quietly=json)
        from gauger.choosing import study_counts

        study = study_counts(prepared, counts=tries, starts=starts, max_iterations=max_iterations, seed=seed)
        if results is not None:
            from gauger.draw import count_study, segment_splits, silhouette_diagrams, treatments

            results.add_table("counts.csv", study.table.reset_index())
            results.add_figure("counts.png", count_study(study))
            results.add_figure("silhouettes.png", silhouette_diagrams(study))
            results.add_figure("splits.png", segment_splits(study))
            results.add_figure("features.png", treatments(prepared))
    console.remarks(study.remarks)
    if json:
        console.plain(_as_json(study, (*remarks_of(table), *prepared.remarks, *study.remarks)))
        return
    for part in _side_by_side(study.table):
        console.table(part)
    tell_advice(study.advice)
    console.wrote(results.paths if results is not None else ())
    advice = study.advice
    if advice.leave_out:
        preparation = preparation.without(advice.leave_out, prepared)
    count, why = advice.count, "Next"
    if advice.verdict == "no structure" and advice.alternatives:
        count, why = next(iter(advice.alternatives)), "For parts of the cloud all the same"
    console.next_step(f"gauger segment {typed(source, reading, preparation)} --count {count} --out segments", why)


def tell_advice(advice: "CountAdvice") -> None:
    """The advice as a paragraph: the count, the verdict, the weightiest reasons, the alternatives."""
    from gauger.cli import console

    console.heading(f"Advice: {advice.count} {plural(advice.count, 'segment')} ({advice.verdict})")
    for sentence in advice.reasons[:_SENTENCES]:
        console.say(sentence)
    for count, why in advice.alternatives.items():
        console.say(f"Also look at {count}: {why}.")


def _side_by_side(table: "pd.DataFrame") -> "Iterator[pd.DataFrame]":
    """The study's table with a row a measure and a column a count, ten counts at a time."""
    from gauger.cli import console

    shown = table.drop(columns=[name for name in ("silhouette_se",) if not table[name].any()])
    for name in ("wcss_share", "smallest_share"):
        shown[name] = console.percent_column(shown[name])
    for first in range(0, len(shown), _COUNTS_A_TABLE):
        part = shown.iloc[first : first + _COUNTS_A_TABLE].map(console.cell).T
        yield part.rename_axis("segments").rename(columns=str)


def _as_json(study: "CountStudy", remarks: "Iterable[Remark]") -> str:
    import json

    advice = study.advice
    rows = study.table.reset_index().replace([float("inf")], float("nan")).astype(object)
    rows = rows.where(rows.notna(), None)
    return json.dumps(
        {
            "count": advice.count,
            "verdict": advice.verdict,
            "reasons": advice.reasons,
            "alternatives": {str(count): why for count, why in advice.alternatives.items()},
            "leave_out": advice.leave_out,
            "filters": advice.filters,
            "picks": advice.picks,
            "elbow_strength": advice.elbow.strength if advice.elbow is not None else None,
            "table": rows.to_dict(orient="records"),
            "remarks": [{"code": remark.code, "text": remark.text} for remark in remarks],
        },
        indent=2,
        ensure_ascii=False,
        allow_nan=False,
    )
