"""`gauger name`: names for the segments of a study, in everything that its folder holds."""

from pathlib import Path
from typing import Annotated

import typer

from gauger.cli.customers import StudyFolder
from gauger.cli.options import option


def name(
    *,
    study: StudyFolder,
    names: Annotated[
        list[str] | None, typer.Argument(metavar="NUMBER=NAME", help='Such as 1="regulars" 4="long away".')
    ] = None,
    suggested: Annotated[
        bool, typer.Option("--suggested", help="Give the others the names that the profile suggests.")
    ] = False,
    source: Annotated[
        str | None, option("FILE|URL", "Where the study's customers are now, if its source is gone.")
    ] = None,
) -> None:
    """Name segments of a study: in assignments, centres, model, figures and plan at once, or not at all.

    Profiles, audiences and SQL that are made of the study bear the names; a name follows its segment when the study is
    made again. A segment's number as a name (1="segment 1") takes its name away.
    """
    from gauger.cli import console
    from gauger.remarks import remarks_of
    from gauger.study import name_study

    wanted = _pairs(names or [])
    if not wanted and not suggested:
        raise typer.BadParameter('say which names, such as 1="regulars", or --suggested.', param_hint="NUMBER=NAME")
    named = name_study(Path(study), wanted, suggested=suggested, source=source)
    console.title(named.headline())
    console.table(named.overview())
    if not named.in_database:
        console.remarks(remark for remark in remarks_of(named.table) if remark.code == "source-changed")
    console.next_step(f"gauger profile {study}")


def _pairs(texts: list[str]) -> dict[int, str]:
    found: dict[int, str] = {}
    for text in texts:
        number, sign, words = text.partition("=")
        if not sign or not number.strip().isdigit():
            raise typer.BadParameter(
                f'{text!r} must be a number and a name, such as 1="regulars".', param_hint="NUMBER=NAME"
            )
        if int(number) in found:
            raise typer.BadParameter(f"segment {int(number)} is named twice.", param_hint="NUMBER=NAME")
        found[int(number)] = words.strip()
    return found
