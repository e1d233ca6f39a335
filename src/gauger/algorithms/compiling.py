"""Compile loops before they are needed, so that whoever listens hears why the first run takes longer."""

from collections.abc import Callable

from gauger.progress import task


def compile_loops(*steps: Callable[[], object]) -> None:
    """Run each step, a call of a loop on a few rows: compiled on the first run on a machine, loaded after that."""
    with task("compiling for this machine, once", len(steps)) as advance:
        for step in steps:
            step()
            advance(1)
