"""The `gauger` command: which commands there are, and what happens when one fails."""

import contextlib
import io
import os
import signal
import sys
from typing import Annotated, NoReturn

import typer
from typer.core import TyperGroup

from gauger import __version__
from gauger.cli.assign import assign
from gauger.cli.compare import compare
from gauger.cli.counts import counts
from gauger.cli.demo import demo
from gauger.cli.drift import drift
from gauger.cli.features import features
from gauger.cli.groups import with_groups, with_trust
from gauger.cli.handoff import handoff
from gauger.cli.look import look
from gauger.cli.measure import measure
from gauger.cli.migrate import migrate
from gauger.cli.name import name
from gauger.cli.plan import plan
from gauger.cli.profile import profile
from gauger.cli.radius import radius
from gauger.cli.report import report
from gauger.cli.run import run
from gauger.cli.segment import segment
from gauger.cli.tree import tree
from gauger.errors import GaugerError
from gauger.progress import listening

FAULT, INTERRUPTED = 1, 130
"""Exit codes: the data or the request was at fault, and 128 + SIGINT as shells have it."""


class _Commands(TyperGroup):
    """Turns what goes wrong inside a command into one message and an exit code."""

    def invoke(self, ctx: typer.Context) -> object:  # type: ignore[override]
        from gauger.cli import console

        bars = console.ProgressBars()
        if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
            signal.signal(signal.SIGINT, bars.interrupt)
        try:
            with listening(bars):
                return super().invoke(ctx)
        except GaugerError as error:
            console.fault(str(error))
            sys.exit(FAULT)
        except KeyboardInterrupt:
            _stop()
        except Exception as error:
            if not _comes_from_ctrl_c(error):
                raise
            _stop()


def _give_up_printing() -> None:
    """Let what is still to be printed go nowhere: a full disk would refuse it once more at the very end."""
    with contextlib.suppress(OSError, ValueError):
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, sys.stdout.fileno())
        os.close(nowhere)


def _of_file(error: OSError) -> str:
    return f" ({error.filename})" if error.filename else ""


def _stop() -> NoReturn:
    """Say that Ctrl-C was heard, and leave at once, without waiting for threads that are still at work."""
    from gauger.cli import console

    console.fault("stopped by Ctrl-C. Nothing was written.")
    for stream in (sys.stdout, sys.stderr):
        stream.flush()
    os._exit(INTERRUPTED)


def _comes_from_ctrl_c(error: BaseException | None) -> bool:
    """Whether an error was raised because Ctrl-C broke something off, such as the making of a class."""
    while error is not None:
        if isinstance(error, KeyboardInterrupt):
            return True
        error = error.__cause__ or error.__context__
    return False


app = typer.Typer(
    cls=_Commands,
    name="gauger",
    no_args_is_help=True,
    add_completion=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
    help="Behavioural customer segments you can trust. Start with: gauger demo",
    epilog="Exit codes: 0 done, 1 the data or the request was at fault, 2 wrong usage, 130 stopped by Ctrl-C.",
)


def _show_version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"gauger {__version__}")
        raise typer.Exit


@app.callback()
def _all_commands(
    version: Annotated[
        bool, typer.Option("--version", callback=_show_version, is_eager=True, help="Show the version and stop.")
    ] = False,
) -> None:
    """Options of every command."""


COMMANDS = (
    *(look, features, plan, counts, segment, tree, radius, name, profile, compare, report),
    *(assign, drift, migrate, handoff, measure, run, demo),
)

FOLLOWING_PLANS = (counts, segment, tree, radius, name, profile, compare, report, assign, drift, migrate, handoff, run)
"""The commands that go by a plan, or by the plan of a study."""

for command in COMMANDS:
    flat = with_groups(command)
    app.command()(with_trust(flat) if command in FOLLOWING_PLANS else flat)


def main() -> None:
    """Run the command line."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")  # a terminal that lacks a sign gets a question mark, not a crash
    try:
        try:
            app(prog_name="gauger")
        finally:
            sys.stdout.flush()  # here, where a full disk can still be reported in words
    except OSError as error:
        _give_up_printing()
        if not isinstance(error, BrokenPipeError):  # whoever read the output has had enough
            from gauger.cli import console

            console.fault(f"stopped by the system: {error.strerror or error}{_of_file(error)}.")
        sys.exit(FAULT)
