"""`gauger run`: all that a plan says, into one folder."""

import shlex
from pathlib import Path
from typing import Annotated

import typer

from gauger.cli.options import Replace, option


def run(
    *,
    plan: Annotated[Path, typer.Argument(metavar="PLAN", help="A plan.toml, drafted or of an earlier study.")],
    out: Annotated[Path, option("FOLDER", "The study's folder.")],
    source: Annotated[
        str | None, option("TABLE", "Other customers than the plan names: a file, or a database's URL.")
    ] = None,
    events: Annotated[str | None, option("TABLE", "Other events than the plan names.")] = None,
    as_of: Annotated[str | None, option("DATE", "Count events up to another moment than the plan's.")] = None,
    replace: Replace = False,
) -> None:
    """Do the whole of a plan: read, prepare, study the count, segment, name, profile, compare, and hand over.

    Writes a study as `gauger segment` does, with counts/ and profile/ in it, compare/ for every comparison of the plan,
    and hand-off/ if the plan has that part. Everything appears at the end, or nothing. The same plan on the same data
    writes the same bytes.
    """
    from gauger.algorithms.first_run import compile_in_background
    from gauger.cli import console

    compile_in_background()
    from gauger.study import plan_file, run_plan

    study = run_plan(
        plan_file(plan),
        out,
        replace=replace,
        source=source,
        events=events,
        as_of=as_of,
        tell=console.step,
        caution=console.remarks,
    )
    console.say()
    console.say(f"wrote {out}: {', '.join(_written(out))}")
    console.next_step(f"gauger profile {shlex.quote(str(study.folder))}")


def _written(folder: Path) -> list[str]:
    """What stands in the folder: files, and folders with how many files they hold."""
    found = []
    for path in sorted(folder.iterdir(), key=lambda path: (path.is_dir(), path.name)):
        if path.is_dir():
            many = sum(1 for one in path.rglob("*") if one.is_file())
            found.append(f"{path.name}/ ({many} files)")
        elif not path.name.startswith("."):
            found.append(path.name)
    return found
