"""`gauger migrate`: who moved from which segment to which between two times."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import Replace, option

if TYPE_CHECKING:
    import pandas as pd

    from gauger.monitoring import Migration
    from gauger.tables import Results

MIGRATE_FILES = ("crossing.csv", "flows.csv", "customers.csv", "new-and-lost.csv", "flow.png")
WORTH_FILE = "worth.csv"

_MOST_WAYS = 10
"""Ways that a terminal lists; flows.csv has all."""


def migrate(
    *,
    before: Annotated[Path, typer.Argument(metavar="BEFORE", help="A study's folder, or assignments.")],
    after: Annotated[Path, typer.Argument(metavar="AFTER", help="A later study's folder, or assignments.")],
    key: Annotated[str | None, option("COLUMN", "The column that identifies a customer; studies know it.")] = None,
    value: Annotated[
        str | None, option("COLUMN", "What each customer is worth: a column of the later study's table, or of --table.")
    ] = None,
    table: Annotated[str | None, option("FILE", "A table with the key and --value.")] = None,
    out: Annotated[
        Path | None, option("FOLDER", "Also write crossing.csv, flows.csv, customers.csv, new-and-lost.csv, flow.png.")
    ] = None,
    replace: Replace = False,
) -> None:
    """Tell who moved between the segments of two times, who is new, and who is lost.

    The contingency table, the ways that more customers went than chance would send, and with --value the worth that
    moved along. Segments of two studies that were found apart are matched first by the customers they share.
    """
    from gauger.cli import console
    from gauger.study import migration_between
    from gauger.tables import result_folder

    if table is not None and value is None:
        raise typer.BadParameter("say which column of the table: --value COLUMN.", param_hint="--value")
    folder = (
        result_folder(out, MIGRATE_FILES, optional=(WORTH_FILE,), replace=replace, sources=[before, after, table])
        if out
        else nullcontext()
    )
    with folder as results:
        found = migration_between(before, after, key=key, value=value, table=table)
        if results is not None:
            _write(found, results)
    _tell(found)
    console.wrote(results.paths if results is not None else ())


def _write(found: "Migration", results: "Results") -> None:
    import pandas as pd

    from gauger.draw import migration_flow

    results.add_table("crossing.csv", found.crossing.rename(columns=str).reset_index())
    results.add_table("flows.csv", found.flows)
    results.add_table("customers.csv", found.customers)
    key = str(found.customers.columns[0])
    once = [(found.only_second, "new"), (found.only_first, "lost")]
    results.add_table("new-and-lost.csv", pd.concat([pd.DataFrame({key: keys, "which": word}) for keys, word in once]))
    results.add_figure("flow.png", migration_flow(found))
    if found.value is not None:
        results.add_table(WORTH_FILE, found.value.rename(columns=str).reset_index())


def _tell(found: "Migration") -> None:
    from gauger.cli import console

    console.title(found.headline())
    named = {label: name for label, name in found.names.items() if name not in (f"segment {label}", str(label))}
    for label, name in named.items():
        console.say(f"{label}: {name}")
    console.heading("Customers: before down, after across")
    console.table(console.largest(console.largest(found.crossing).T).T.rename(columns=str))
    if found.value is not None:
        console.heading("Their worth: before down, after across")
        console.table(console.largest(console.largest(found.value).T).T.rename(columns=str))
    if len(found.flows):
        console.heading("Most gone ways; expected: had those who left gone in proportion to the other segments' sizes")
        console.table(_shown(found.flows.head(_MOST_WAYS)))
    console.remarks(found.remarks)


def _shown(flows: "pd.DataFrame") -> "pd.DataFrame":
    from gauger.cli import console

    shown = flows.assign(
        way=[f"{one} → {other}" for one, other in zip(flows["before"], flows["after"], strict=True)],
        share=console.percent_column(flows["share"]),
        expected=flows["expected"].round(),
        more=["more than chance" if exceeds else "" for exceeds in flows["exceeds"]],
    )
    return shown.set_index("way")[["customers", "share", "expected", "more"]].rename(columns={"more": "than expected"})
