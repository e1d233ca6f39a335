"""`gauger counts`: how many segments, with the advice and its reasons."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import MaxRounds, Preparation, Reading, Replace, Seed, Source, Starts, typed
from gauger.errors import plural

if TYPE_CHECKING:
    from gauger.choosing import CountAdvice

COUNT_FILES = ("counts.csv", "counts.png", "features.png")


def counts(
    *,
    source: Source,
    preparation: Preparation,
    lowest: Annotated[int, typer.Option("--from", metavar="N", help="The lowest count to try.")] = 1,
    highest: Annotated[int, typer.Option("--to", metavar="N", help="The highest count to try.")] = 10,
    starts: Starts = 10,
    max_rounds: MaxRounds = 300,
    seed: Seed = 0,
    out: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Also write counts.csv and the figures counts.png and features.png here."),
    ] = None,
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Try several numbers of segments and advise one, with reasons."""
    from gauger.cli import console
    from gauger.tables import result_folder

    tries = range(lowest, highest + 1)
    with result_folder(out, COUNT_FILES, replace=replace) if out else nullcontext() as results:
        prepared = preparation.carry_out(reading.read(source))
        from gauger.choosing import study_counts

        study = study_counts(prepared, counts=tries, starts=starts, max_rounds=max_rounds, seed=seed)
        if results is not None:
            from gauger.drawing import count_study, treatments

            results.add_table("counts.csv", study.table.reset_index())
            results.add_figure("counts.png", count_study(study))
            results.add_figure("features.png", treatments(prepared))
    console.table(study.table.assign(smallest_share=console.percent(study.table["smallest_share"])))
    console.remarks(study.remarks)
    tell_advice(study.advice)
    console.wrote(results.paths if results is not None else ())
    console.next_step(
        f"gauger segment {typed(source, reading, preparation)} --count {study.advice.count} --out segments"
    )


def tell_advice(advice: "CountAdvice") -> None:
    """The advice as a paragraph: the count, the verdict, the reasons, the alternatives."""
    from gauger.cli import console

    console.heading(f"Advice: {advice.count} {plural(advice.count, 'segment')} ({advice.verdict})")
    for sentence in advice.sentences():
        console.say(sentence)
