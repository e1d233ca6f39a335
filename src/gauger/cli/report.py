"""`gauger report`: a study as one page for people, and as a workbook."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.customers import StudyFolder
from gauger.cli.options import Replace, Seed, option

if TYPE_CHECKING:
    from gauger.campaigns import Outcome


def report(
    *,
    study: StudyFolder,
    out: Annotated[Path | None, option("FILE.html", "Where the page goes: one file, all in itself.")] = None,
    workbook: Annotated[Path | None, option("FILE.xlsx", "Also, or instead, a workbook with a sheet a table.")] = None,
    assignments: Annotated[
        bool, typer.Option("--assignments", help="Every customer's key and segment as a sheet of the workbook.")
    ] = False,
    earlier: Annotated[
        list[Path] | None, option("STUDY", "An earlier study: who moved since; may be given several times.")
    ] = None,
    campaign: Annotated[
        Path | None, option("FOLDER", "The folder of a hand-off: what came of it; needs --outcomes.")
    ] = None,
    outcomes: Annotated[str | None, option("FILE", "Who responded to it: a table with the key.")] = None,
    responded: Annotated[str, option("COLUMN", "The column that says who responded: 1 or 0, yes or no.")] = "responded",
    title: Annotated[str | None, option("TEXT", "The title; by default what was found.")] = None,
    with_keys: Annotated[
        bool, typer.Option("--with-keys", help="Say whose figures are shown. Addresses are never in a report.")
    ] = False,
    sample: Annotated[int, option("N", "At most about so many are in the explorer.")] = 2_000,
    seed: Seed = 0,
    source: Annotated[
        str | None, option("FILE|URL", "Where the study's customers are now, if its source is gone.")
    ] = None,
    replace: Replace = False,
) -> None:
    """Write a study as one page that a director understands and an analyst can defend, and as a workbook.

    What was found, a card a segment, an explorer, how many and why, the profile, how firm segments are, cautions, and
    how to do it again. The page sends nothing anywhere; without --with-keys nobody's key is in it.
    """
    from gauger.cli import console
    from gauger.study import contents_of, open_study, refuse_ending, write_contents

    if out is None and workbook is None:
        raise typer.BadParameter("say where it goes: --out report.html, or --workbook report.xlsx.", param_hint="--out")
    if assignments and workbook is None:
        raise typer.BadParameter("assignments are a sheet of --workbook FILE.xlsx.", param_hint="--assignments")
    if (campaign is None) != (outcomes is None):
        raise typer.BadParameter("a campaign and who responded belong together.", param_hint="--campaign, --outcomes")
    wanted = ((out, ".html"), (workbook, ".xlsx"))
    files = [refuse_ending(file, (ending,)) for file, ending in wanted if file is not None]
    opened = open_study(study, source=source)
    with write_contents(files, assignments=assignments, replace=replace) as write:
        contents = contents_of(
            opened,
            earlier=earlier or (),
            outcomes=_outcomes(campaign, outcomes, responded, seed),
            title=title,
            with_keys=with_keys,
            sample=sample,
        )
        write(contents)
    console.title(contents.heading)
    console.remarks(remark for remark in contents.remarks if remark.code in ("source-changed", "customers-changed"))
    console.wrote(files)
    if out is not None:
        console.say(f"Open it in a browser: {out}")


def _outcomes(campaign: Path | None, outcomes: str | None, responded: str, seed: int) -> "list[Outcome]":
    from gauger.campaigns import measure
    from gauger.tables import read_table

    if campaign is None or outcomes is None:
        return []
    return [measure(campaign, read_table(outcomes), responded=responded, seed=seed)]
