"""`gauger assign`: other customers, or all of them, by a model that was saved."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.customers import model_file
from gauger.cli.options import Reading, Replace, option

if TYPE_CHECKING:
    import pandas as pd

    from gauger.models import SegmentModel

_BY_BLOCKS = 100 * 2**20
"""Bytes from which a file is assigned block by block: what a small machine still holds as a table."""

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
        str | None, option("ADDRESS", "By blocks on a Dask cluster that is there: tcp://host:8786.")
    ] = None,
    workers: Annotated[int | None, option("N", "By blocks on that many processes of this machine.")] = None,
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Find the segment of other customers, by a model that was learned.

    Writes a row a customer: the key, segment, segment_name, distance, and why one is in no segment. A
    file of more than 100 MB, a folder of files and a pattern such as 'base/*.parquet' are done block by
    block, in constant memory; with a FOLDER as --out a Parquet part is written for each that is read.
    """
    from gauger.cli import console
    from gauger.models import load_model
    from gauger.wording import Noun

    model = model_file(model)
    learned = load_model(model)
    allowed = _gate(gate)
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
    if _by_blocks(source, out, reading, cluster=cluster, workers=workers):
        from gauger.engine import assign_file

        done = assign_file(learned, source, out, gate=allowed, cluster=cluster, workers=workers, replace=replace)
        counts, remarks = done.customers, done.remarks
    else:
        from gauger.remarks import remarks_of
        from gauger.tables import BLOCK_ENDINGS, result_folder

        with result_folder(out.parent, [out.name], replace=replace, sources=[source, model]) as results:
            found = learned.assign(reading.read(source), gate=allowed)
            if out.suffix in BLOCK_ENDINGS:
                results.add_assignments(out.name, found)
            else:
                results.add_table(out.name, found)
        counts, remarks = _counted(learned, found["segment"]), remarks_of(found)
    console.heading(f"{Noun.of_key(learned.key).counted(int(counts['customers'].sum()))} assigned")
    console.table(
        console.largest(counts.assign(share=console.percent_column(counts["customers"] / counts["customers"].sum())))
    )
    console.remarks(remarks)
    console.wrote([out])
    console.next_step(f"gauger handoff {out} CONTACTS --key {learned.key} --campaign NAME --out FOLDER")


def _gate(text: str | None) -> float | str | None:
    if text is None or text == "learned":
        return text
    try:
        return float(text)
    except ValueError:
        raise typer.BadParameter(f"{text!r} must be learned, or a distance.", param_hint="--gate") from None


def _by_blocks(source: str, out: Path, reading: Reading, *, cluster: str | None, workers: int | None) -> bool:
    """Whether customers are too many to be read at once, and can be done in blocks."""
    from gauger.tables import BLOCK_ENDINGS, is_many_files, is_url

    if cluster is not None or workers is not None:
        return True
    if is_url(source) or reading != Reading():
        return False
    file = Path(source)
    large = out.suffix in BLOCK_ENDINGS and file.is_file() and file.stat().st_size > _BY_BLOCKS
    return large or is_many_files(source) or not out.suffix


def _counted(model: "SegmentModel", codes: "pd.Series[int]") -> "pd.DataFrame":
    """Customers by segment, the unassigned last where there are any."""
    import pandas as pd

    from gauger.segmentation import UNASSIGNED_NAME

    rows: list[tuple[object, str, int]] = [
        (one.number, one.name, int((codes == one.number).sum())) for one in model.segments
    ]
    if outside := int((codes == 0).sum()):
        rows.append((UNASSIGNED_NAME, UNASSIGNED_NAME, outside))
    return pd.DataFrame(rows, columns=["segment", "name", "customers"]).astype({"segment": object}).set_index("segment")
