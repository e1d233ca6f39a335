"""`gauger demo`: the whole job, once, on the made-up members of Ostrel Picture Houses."""

from pathlib import Path
from typing import Annotated

import typer

from gauger.cli.options import Replace


def demo(
    out: Annotated[Path, typer.Option(metavar="FOLDER", help="Where the results go.")] = Path("demo-output"),
    replace: Replace = False,
) -> None:
    """Run the whole example on made-up data.

    From a table of visits to segments, a profile, figures and files.
    """
    from gauger.algorithms.first_run import compile_in_background
    from gauger.cli import console

    compile_in_background()
    from gauger.demo import walk_through

    walk_through(out, replace=replace, tell=console.step, caution=console.remarks)
