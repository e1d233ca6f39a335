"""`gauger drift`: whether a model still fits the customers there are now."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.assign import Model
from gauger.cli.customers import model_file
from gauger.cli.customers_in_place import InDatabase, table_of_study
from gauger.cli.options import Reading, Replace, option

if TYPE_CHECKING:
    import pandas as pd

    from gauger.remarks import Remark

DRIFT_FILES = ("features.csv", "segments.csv")


def drift(
    *,
    model: Model,
    source: Annotated[
        str | None,
        typer.Argument(
            metavar="TABLE",
            help="The customers now: a file, a database's URL or a study's folder. Default: a study's own database.",
        ),
    ] = None,
    out: Annotated[Path | None, option("FOLDER", "Also write features.csv and segments.csv.")] = None,
    replace: Replace = False,
    in_database: InDatabase = False,
    reading: Reading,
) -> None:
    """Compare customers with those that a model was learned from, and say what to do.

    How far each feature has moved (population stability index: below 0.1 stable, from 0.25 changed), each segment's
    share and centre then and now, and how many are beyond the gate. Several files, a table with --in-database, and
    the table of a study in a database are compared where they are.
    """
    from gauger.cli import console
    from gauger.models import load_model
    from gauger.monitoring import drift as drift_of
    from gauger.tables import result_folder
    from gauger.wording import Noun

    other, periods = _of_another_study(model, source)
    there = table_of_study(model, source, reading, in_database=in_database) if other is None else other
    if there is None and source is None:
        raise typer.BadParameter("say which customers there are now.", param_hint="TABLE")
    model = model_file(model)
    learned = load_model(model)
    with result_folder(out, DRIFT_FILES, replace=replace, sources=[source, model]) if out else nullcontext() as results:
        found = drift_of(learned, reading.read(str(source)) if there is None else there)
        if results is not None:
            results.add_table("features.csv", found.features.reset_index())
            results.add_table("segments.csv", found.segments.rename_axis("segment").reset_index())
    console.title(f"Advice: {found.advice.action}. {' '.join(found.advice.reasons)}")
    now = Noun.of_key(learned.key).counted(found.customers)
    console.say(f"{now} now, {learned.customers:,} then ({learned.made_at}).")
    console.heading("Features, in original units; shift in standard deviations")
    missing = {name: console.percent_column(found.features[name]) for name in ("missing_then", "missing_now")}
    console.table(found.features.assign(**missing))
    console.heading("Segments; distances on the working scale")
    shares = {name: console.percent_column(found.segments[name]) for name in ("share_then", "share_now")}
    console.table(console.largest(found.segments.assign(**shares)))
    console.remarks((*periods, *found.remarks))
    console.wrote(results.paths if results is not None else ())


def _of_another_study(model: Path, source: str | None) -> "tuple[pd.DataFrame | None, tuple[Remark, ...]]":
    """The customers of another study, and whether its period is as long; None where no other study was typed."""
    from gauger.study import about_periods, is_study, open_study

    if source is None or not is_study(source):
        return None, ()
    later = open_study(source)
    earlier = open_study(model).plan if is_study(str(model)) else None
    return later.table, tuple(about_periods(earlier, later.plan))
