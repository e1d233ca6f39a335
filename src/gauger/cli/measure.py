"""`gauger measure`: what came of a campaign, contacted against held out."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import Reading, Replace, Seed, option

if TYPE_CHECKING:
    import pandas as pd

MEASURE_FILES = ("outcome.csv", "outcome.png")

_SHARES = ("response", "holdout_response")
_POINTS = ("uplift", "low", "high")
_OF_VALUE = {
    "name": "name",
    "value": "value",
    "holdout_value": "of holdout",
    "value_uplift": "uplift",
    "value_low": "low",
    "value_high": "high",
    "gained": "gained",
    "value_reading": "reading",
}


def measure(
    *,
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="The folder of `gauger handoff`.")],
    outcomes: Annotated[str, typer.Argument(metavar="OUTCOMES", help="Who responded: a table with the key.")],
    responded: Annotated[str, option("COLUMN", "The column that says who responded: 1 or 0, yes or no.")] = "responded",
    value: Annotated[str | None, option("COLUMN", "A column of what each was worth.")] = None,
    when: Annotated[
        str | None, option("COLUMN", "OUTCOMES are redemptions or orders, one row each: the column of their dates.")
    ] = None,
    since: Annotated[
        str | None, typer.Option("--from", metavar="DATE", help="With --when: the campaign's first day.")
    ] = None,
    until: Annotated[
        str | None, typer.Option("--to", metavar="DATE", help="With --when: the campaign's last day.")
    ] = None,
    out: Annotated[Path | None, option("FOLDER", "Also write outcome.csv and the figure outcome.png.")] = None,
    seed: Seed = 0,
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Say what a campaign did: response of the contacted against the held out, segment by segment.

    With --when, OUTCOMES are redemptions or orders: at least one row between --from and --to is a response, and --value
    is added up. The uplift has an interval; segments too small to say are said to be. Who took part and is not in
    OUTCOMES did not respond; those held out must be in it if they responded.
    """
    from gauger.campaigns import TOO_SMALL
    from gauger.campaigns import measure as measure_campaign
    from gauger.cli import console
    from gauger.tables import result_folder

    with (
        result_folder(out, MEASURE_FILES, replace=replace, sources=[folder, outcomes])
        if out
        else nullcontext() as results
    ):
        found = measure_campaign(
            folder,
            reading.read(outcomes),
            responded=responded,
            value=value,
            when=when,
            since=since,
            until=until,
            seed=seed,
        )
        if results is not None:
            from gauger.draw import campaign_outcome

            results.add_table("outcome.csv", found.table.rename_axis("segment").reset_index())
            results.add_figure("outcome.png", campaign_outcome(found))
    console.title(found.headline())
    console.heading("Response, and uplift in percentage points with its interval")
    console.table(_shown(found.table))
    if "value" in found.table.columns:
        console.heading("Value of a customer, uplift with its interval, and what it gained in all")
        said = found.table["value_reading"] != TOO_SMALL
        shown = found.table[list(_OF_VALUE)].assign(gained=found.table["gained"].where(said))
        console.table(shown.rename(columns=_OF_VALUE))
    console.say("Intervals of segments hold all together in 95 of 100 campaigns, that of all by itself.")
    console.remarks(found.remarks)
    console.wrote(results.paths if results is not None else ())


def _shown(table: "pd.DataFrame") -> "pd.DataFrame":
    from gauger.cli import console

    shown = table[["name", "contacted", "holdout", *_SHARES, *_POINTS, "reading"]].copy()
    for name in _SHARES:
        shown[name] = console.percent_column(table[name])
    for name in _POINTS:
        shown[name] = [f"{100.0 * value:+.1f}" for value in table[name]]
    return shown.rename(columns={"holdout_response": "of holdout"})
