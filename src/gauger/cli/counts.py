"""`gauger counts`: how many segments, with the advice and its reasons."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.customers import Customers, MaybeSource, Place, customers_of
from gauger.cli.customers_in_place import Blocks, Database, InDatabase, InPlaceCustomers, customers_in_place
from gauger.cli.options import MaxIterations, MaybeSeed, Preparation, Reading, Replace, Starts, asked
from gauger.wording import plural

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    import pandas as pd

    from gauger.choosing import CountAdvice, CountStudy
    from gauger.features import FeatureSet
    from gauger.remarks import Remark

_COUNTS_A_TABLE = 10
"""Counts side by side, so that a table fits 80 columns."""

_SENTENCES = 4
"""Reasons that a terminal shows; `--json` has all."""


def counts(
    *,
    origin: MaybeSource = None,
    preparation: Preparation,
    lowest: Annotated[
        int | None, typer.Option("--from", metavar="N", help="The lowest count to try. Default: 1.")
    ] = None,
    highest: Annotated[
        int | None, typer.Option("--to", metavar="N", help="The highest count to try. Default: 10.")
    ] = None,
    starts: Starts = None,
    max_iterations: MaxIterations = None,
    seed: MaybeSeed = None,
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
    blocks: Blocks,
    in_database: InDatabase = False,
    place: Place,
    reading: Reading,
) -> None:
    """Try several numbers of segments and advise one, with reasons.

    Of a folder of files, of a pattern such as 'base/*.parquet', and of a file that memory may not hold, a sample is
    studied: customers chosen by a hash of their keys, prepared as everyone is. So it is of a database's table with
    --in-database: the sample leaves the database, and nobody else.
    """
    from gauger.algorithms.first_run import compile_in_background
    from gauger.cli import console

    compile_in_background()
    from gauger.study import COUNT_FILES, CountsPart
    from gauger.tables import result_folder

    there = customers_in_place(origin, place, reading, preparation, blocks, Database(in_database))
    customers: Customers | InPlaceCustomers = there or customers_of(origin, place, reading, preparation)
    files = customers.files
    with result_folder(out, COUNT_FILES, replace=replace, sources=files) if out else nullcontext() as results:
        prepared, said = customers.prepared(quietly=json)
        from gauger.choosing import study_counts

        typed = {"lowest": lowest, "highest": highest, "starts": starts, "max_iterations": max_iterations, "seed": seed}
        wanted = asked(CountsPart() if customers.plan is None else customers.plan.counts, typed)
        study = study_counts(
            prepared,
            counts=range(wanted.lowest, wanted.highest + 1),
            starts=wanted.starts,
            max_iterations=wanted.max_iterations,
            seed=wanted.seed,
        )
        if results is not None:
            from gauger.study import add_count_files

            add_count_files(results, study, prepared)
    console.remarks(study.remarks)
    if json:
        console.plain(_as_json(study, (*said, *prepared.remarks, *study.remarks)))
        return
    for part in _side_by_side(study.table):
        console.table(part)
    tell_advice(study.advice)
    console.wrote(results.paths if results is not None else ())
    _tell_next(study.advice, customers, prepared)


def _tell_next(advice: "CountAdvice", customers: "Customers | InPlaceCustomers", prepared: "FeatureSet") -> None:
    """The command that follows: segments by the advice, or without what hides them; other ways where there are none."""
    from gauger.cli import console

    preparation = customers.preparation
    if advice.leave_out:
        preparation = preparation.without(advice.leave_out, prepared)
    if advice.verdict == "no structure" and not advice.leave_out:
        console.next_step(
            f"gauger segment {customers.words(preparation, read=True)} --method bands --out segments",
            "No groups: try other features or another grain, or cut them into bands",
        )
        return
    console.next_step(f"gauger segment {customers.words(preparation)} --count {advice.count} --out segments")


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
