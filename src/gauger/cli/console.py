"""What the command line prints: results to stdout, remarks, progress and faults to stderr."""

import textwrap
import time
from collections.abc import Iterable
from typing import TYPE_CHECKING

from rich.console import Console
from rich.progress import BarColumn, Progress, TaskID, TextColumn, TimeRemainingColumn
from rich.table import Table
from rich.text import Text

from gauger.remarks import Remark

if TYPE_CHECKING:
    from pathlib import Path

    import pandas as pd

_WIDEST = 100
_PATIENCE = 1.0
_STEP_INDENT = 14


def _console(*, stderr: bool) -> Console:
    console = Console(stderr=stderr, highlight=False, emoji=False)
    if not console.is_terminal:
        console.width = _WIDEST
    return console


def say(text: str = "") -> None:
    """A line of result."""
    _console(stderr=False).print(Text(text))


def step(name: str, text: str) -> None:
    """A step of a longer job: its name, and beside it what it found."""
    width = min(_console(stderr=False).width, _WIDEST)
    hang = " " * _STEP_INDENT
    first = f"{name:<{_STEP_INDENT}}"
    say(textwrap.fill(text, width, initial_indent=first, subsequent_indent=hang, break_on_hyphens=False) or name)


def heading(text: str) -> None:
    """A line that stands above a table."""
    _console(stderr=False).print(Text(text, style="bold"))


def table(frame: "pd.DataFrame") -> None:
    """A DataFrame with its index, numbers to the right, rounded as people read them."""
    shown = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    shown.add_column(str(frame.index.name or ""), no_wrap=True)
    for name in frame.columns:
        numbers = all(_is_number(value) or str(value).endswith("%") for value in frame[name])
        shown.add_column(str(name), justify="right" if numbers else "left", overflow="fold")
    for row in frame.itertuples():
        shown.add_row(*(cell(value) for value in row))
    _console(stderr=False).print(shown)


def cell(value: object) -> str:
    """One value as people read it: whole numbers with thousands marks, others to four figures, gaps as a dash."""
    if value is None or value != value:
        return "–"
    if isinstance(value, bool) or not _is_number(value):
        return str(value)
    number = float(str(value))
    if abs(number) >= 1000.0 or (number.is_integer() and abs(number) < 1e15):
        return f"{number:,.0f}"
    return f"{number:.4g}"


def remarks(found: Iterable[Remark]) -> None:
    """Cautions, one a paragraph, to stderr."""
    for remark in found:
        _console(stderr=True).print(Text.assemble(("remark: ", "bold yellow"), remark.text))


def wrote(paths: "Iterable[Path]") -> None:
    """The files that were written, one a line and never broken."""
    for path in paths:
        _console(stderr=False).print(Text(f"wrote {path}"), soft_wrap=True)


def next_step(command: str) -> None:
    """The command to type next, on one line so that it can be copied."""
    _console(stderr=False).print(Text(f"Next: {command}"), soft_wrap=True)


def fault(text: str) -> None:
    """What went wrong, in one message to stderr."""
    _console(stderr=True).print(Text.assemble(("gauger: ", "bold red"), text))


def _is_number(value: object) -> bool:
    return value is None or value != value or hasattr(value, "__float__")


class ProgressBars:
    """A listener that shows a bar on stderr for every task, once the work has taken a second."""

    def __init__(self) -> None:
        self._bars = Progress(
            TextColumn("{task.description}"),
            BarColumn(),
            TextColumn("{task.percentage:>3.0f} %"),
            TimeRemainingColumn(),
            console=_console(stderr=True),
            transient=True,
        )
        self._began = 0.0
        self._live = False

    def started(self, name: str, total: int) -> object:
        if not self._bars.tasks:
            self._began = time.monotonic()
        return self._bars.add_task(name, total=total)

    def advanced(self, mark: object, steps: int) -> None:
        assert isinstance(mark, int)
        self._bars.advance(TaskID(mark), steps)
        if not self._live and self._bars.console.is_terminal and time.monotonic() - self._began > _PATIENCE:
            self._bars.start()
            self._live = True

    def finished(self, mark: object) -> None:
        assert isinstance(mark, int)
        self._bars.remove_task(TaskID(mark))
        if self._live and not self._bars.tasks:
            self._bars.stop()
            self._live = False
