"""Compile loops before they are needed, so that whoever listens hears why the first run takes longer."""

from collections.abc import Callable
from subprocess import Popen

from gauger.algorithms.reports import task


class _Background:
    """The process that compiles beside this one, while there is one."""

    process: "Popen[bytes] | None" = None


def wait_later_for(process: "Popen[bytes]") -> None:
    """Wait for a process that compiles beside this one before loops are compiled that may be on their way there."""
    _Background.process = process


def compile_loops(*steps: Callable[[], object], first: bool = False) -> None:
    """Run each step, a call of a loop on a few rows: compiled on the first run on a machine, loaded after that.

    Loops that are not needed `first` may be on their way in the process beside: its end is waited for.
    """
    with task("compiling for this machine, once", len(steps)) as advance:
        if not first and _Background.process is not None:
            _Background.process.wait()
            _Background.process = None
        for step in steps:
            step()
            advance(1)
