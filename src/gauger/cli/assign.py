"""`gauger assign`: other customers, or all of them, by a model that was saved."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.customers import model_file
from gauger.cli.customers_in_place import InDatabase, Into, opened_there
from gauger.cli.options import Reading, Replace, option

if TYPE_CHECKING:
    from collections.abc import Sequence

    import pandas as pd

    from gauger.models import SegmentModel
    from gauger.remarks import Remark

_LARGE = 100 * 2**20
"""Bytes from which a file is assigned out of core: what a small machine still holds as a table."""

Model = Annotated[Path, typer.Argument(metavar="STUDY|MODEL", help="The folder of a study, or a model.json.")]


def assign(
    *,
    model: Model,
    source: Annotated[
        str | None, typer.Argument(metavar="TABLE", help="The customers: a file or a database's URL. Not with --sql.")
    ] = None,
    out: Annotated[
        Path | None,
        option("FILE|FOLDER", "Where assignments go: .csv, .parquet or another format; or parts into a folder."),
    ] = None,
    gate: Annotated[
        str | None,
        option("learned|DISTANCE", "How far from its segment a customer may be. Default: any distance."),
    ] = None,
    sql: Annotated[
        str | None, option("DIALECT", "Instead print one SELECT for --table: postgres, duckdb, sqlite or others.")
    ] = None,
    cluster: Annotated[
        str | None, option("ADDRESS", "Out of core on a Dask cluster that is there: tcp://host:8786.")
    ] = None,
    workers: Annotated[int | None, option("N", "Out of core on that many processes of this machine.")] = None,
    replace: Replace = False,
    in_database: InDatabase = False,
    into: Into = None,
    reading: Reading,
) -> None:
    """Find the segment of other customers, by a model that was learned.

    Writes a row a customer: the key, segment, segment_name, distance, and why one is in no segment. A
    file of more than 100 MB, a folder of files and a pattern such as 'base/*.parquet' are assigned out of
    core, in constant memory; with a FOLDER as --out a Parquet part is written for each that is read. With
    --into the customers of a database's table are assigned there, into another one.
    """
    from gauger.cli import console
    from gauger.models import load_model

    model = model_file(model)
    learned = load_model(model)
    allowed = _gate(gate)
    if in_database or into is not None:
        _assign_there(learned, source, reading, allowed, into, replace=replace)
        return
    if sql is not None:
        if source is not None or out is not None or reading.table is None:
            raise typer.BadParameter(
                "name the database's table with --table, and no TABLE nor --out.", param_hint="--sql"
            )
        console.plain(learned.sql(reading.table, dialect=sql, gate=allowed).rstrip())
        return
    if source is None or out is None:
        raise typer.BadParameter("say which customers (TABLE), and where assignments go (--out).", param_hint="--out")
    console.say(f"{learned.headline()}, {learned.made_at}")
    if _out_of_core(source, out, reading, cluster=cluster, workers=workers):
        from gauger.sources import Execution, open_table

        base = open_table(source, execution=Execution(cluster=cluster, workers=workers))
        done = learned.assign(base, gate=allowed, into=out, replace=replace)
        counts, remarks = done.sizes, done.remarks
    else:
        from gauger.models import counts_by_segment
        from gauger.remarks import remarks_of
        from gauger.tables import BLOCK_ENDINGS, result_folder

        with result_folder(out.parent, [out.name], replace=replace, sources=[source, model]) as results:
            found = learned.assign(reading.read(source), gate=allowed)
            if out.suffix in BLOCK_ENDINGS:
                results.add_assignments(out.name, found)
            else:
                results.add_table(out.name, found)
        counts, remarks = counts_by_segment(learned, found["segment"]), remarks_of(found)
    _tell(learned, counts, remarks)
    console.wrote([out])
    console.next_step(f"gauger handoff {out} CONTACTS --key {learned.key} --campaign NAME --out FOLDER")


def _tell(learned: "SegmentModel", counts: "pd.DataFrame", remarks: "Sequence[Remark]") -> None:
    from gauger.cli import console
    from gauger.wording import Noun

    everyone = counts["customers"].sum()
    console.heading(f"{Noun.of_key(learned.key).counted(int(everyone))} assigned")
    console.table(console.largest(counts.assign(share=console.percent_column(counts["customers"] / everyone))))
    console.remarks(remarks)


def _assign_there(
    learned: "SegmentModel",
    source: str | None,
    reading: Reading,
    gate: float | str | None,
    into: str | None,
    *,
    replace: bool,
) -> None:
    """Assign the customers of a table where they are."""
    from gauger.cli import console

    there = opened_there(source, reading)
    if into is None:
        raise typer.BadParameter("say which table is made there.", param_hint="--into")
    console.say(f"{learned.headline()}, {learned.made_at}")
    done = learned.assign(there, gate=gate, into=into, replace=replace)
    _tell(learned, done.sizes, done.remarks)
    console.say(f"Made table {into} in the database. No row of a customer left it.")


def _gate(text: str | None) -> float | str | None:
    if text is None or text == "learned":
        return text
    try:
        return float(text)
    except ValueError:
        raise typer.BadParameter(f"{text!r} must be learned, or a distance.", param_hint="--gate") from None


def _out_of_core(source: str, out: Path, reading: Reading, *, cluster: str | None, workers: int | None) -> bool:
    """Whether customers are too many to be read at once, and can be done in blocks."""
    from gauger.tables import BLOCK_ENDINGS, is_many_files, is_url

    if cluster is not None or workers is not None:
        return True
    if is_url(source) or reading != Reading():
        return False
    file = Path(source)
    large = out.suffix in BLOCK_ENDINGS and file.is_file() and file.stat().st_size > _LARGE
    return large or is_many_files(source) or not out.suffix
