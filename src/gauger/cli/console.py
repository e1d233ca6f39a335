"""What the command line prints: results to stdout, remarks, progress and faults to stderr."""

import re
import textwrap
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from threading import Timer
from typing import TYPE_CHECKING

from rich.cells import cell_len
from rich.console import Console
from rich.progress import BarColumn, Progress, TaskID, TaskProgressColumn, TextColumn, TimeRemainingColumn
from rich.table import Table
from rich.text import Text

from gauger.remarks import Remark
from gauger.wording import visible

if TYPE_CHECKING:
    from pathlib import Path

    import pandas as pd

_WIDEST = 100
"""Columns of the widest line that is not a path or a command."""

_MOST_COLUMNS, _PLAIN_COLUMNS = 40, 2
"""Columns of a table beyond which only the first few are shown."""

_MOST_SEGMENTS = 20
"""Segments that a terminal lists; the files have all."""

_MOST_PATHS = 10
"""Paths that a terminal lists one by one."""

_PATIENCE = 1.0
"""Seconds before a progress bar appears: shorter work needs none."""

_STEP_INDENT = 14
"""Letters before what a step of the demo found."""

_MIDNIGHT = " 00:00:00"
_NUMERIC = re.compile(r"[+-]?[\d.,]+%?")


def _console(*, stderr: bool = False, wide: bool = False) -> Console:
    """A console of at most 100 columns; a wide one takes all that the terminal has."""
    console = Console(stderr=stderr, highlight=False, emoji=False)
    if not (wide and console.is_terminal):
        console.width = min(console.width, _WIDEST) if console.is_terminal else _WIDEST
    return console


def say(text: str = "") -> None:
    """A line of result, broken where it is too long."""
    _console().print(Text(visible(text)))


def plain(text: str) -> None:
    """Text for another program to read: as it is, nothing broken; on a terminal with its control signs written out."""
    console = _console()
    console.print(Text(visible(text) if console.is_terminal else text), soft_wrap=True)


def step(name: str, text: str) -> None:
    """A step of a longer job: its name, and beside it what it found."""
    first, hang = f"{name:<{_STEP_INDENT}}", " " * _STEP_INDENT
    width = _console().width
    say(textwrap.fill(text, width, initial_indent=first, subsequent_indent=hang, break_on_hyphens=False) or name)


def title(text: str) -> None:
    """The first line of a result."""
    _console().print(Text(visible(text), style="bold"))


def heading(text: str) -> None:
    """A line that begins another part of a result."""
    say()
    title(text)


def table(frame: "pd.DataFrame") -> None:
    """A DataFrame with its index, numbers to the right, rounded as people read them.

    No number is ever broken: where columns do not fit, text folds, and where that is not enough, columns follow below.
    """
    console = _console(wide=True)
    columns = [_Column.of(str(frame.index.name or ""), list(frame.index), folds=True)]
    columns += [_Column.of(str(name), frame.iloc[:, at].tolist()) for at, name in enumerate(frame.columns)]
    for part in _parts(columns, console.width):
        shown = Table(box=None, pad_edge=False, header_style="bold", padding=(0, _GAP, 0, 0))
        for column in part:
            shown.add_column(
                _as_text(column.name),
                justify="right" if column.numeric else "left",
                no_wrap=column.width is None,
                overflow="fold",
                max_width=column.width,
            )
        for cells in zip(*(column.cells for column in part), strict=True):
            shown.add_row(*map(_as_text, cells))
        console.print(shown)


_GAP = 2
"""Blanks between columns."""

_NARROWEST = 20
"""Letters that a folded column keeps."""


@dataclass(frozen=True)
class _Column:
    """A column as it is shown: its cells, whether they are numbers, and the width it is folded to, if it is."""

    name: str
    cells: list[str]
    numeric: bool
    folds: bool
    width: int | None = None

    @classmethod
    def of(cls, name: str, values: "list[object]", *, folds: bool | None = None) -> "_Column":
        numeric = _of_numbers(values)
        cells = [visible(cell(value)).replace("\n", "\\n") for value in values]
        return cls(
            visible(name).replace("\n", "\\n"), cells, numeric and not folds, not numeric if folds is None else folds
        )

    @property
    def natural(self) -> int:
        """The letters of the longest cell, or of the name."""
        return max(map(cell_len, (self.name, *self.cells)), default=0)

    @property
    def least(self) -> int:
        """The letters that it needs at least."""
        return min(self.natural, _NARROWEST) if self.folds else self.natural


def _parts(columns: "list[_Column]", width: int) -> "list[list[_Column]]":
    """The columns as they fit beside each other, the first one beside every part; parts of about equally many."""
    first, rest = columns[0], columns[1:]
    greedy = _cut(first, rest, width, len(rest))
    even = _cut(first, rest, width, -(-len(rest) // max(len(greedy), 1)))
    chosen = even if len(even) == len(greedy) else greedy
    return [_folded([first, *part], width) for part in chosen or [[]]]


def _cut(first: "_Column", rest: "list[_Column]", width: int, most: int) -> "list[list[_Column]]":
    """The columns in parts of at most so many, each as wide as fits beside the first."""
    parts: list[list[_Column]] = []
    for column in rest:
        own = [first, *parts[-1], column] if parts else []
        if parts and len(parts[-1]) < most and sum(one.least + _GAP for one in own) - _GAP <= width:
            parts[-1].append(column)
        else:
            parts.append([column])
    return parts


def _folded(columns: "list[_Column]", width: int) -> "list[_Column]":
    """The columns with text folded as far as it takes, the widest first."""
    widths = [column.natural for column in columns]
    over = sum(widths) + _GAP * (len(columns) - 1) - width
    while over > 0:
        foldable = [at for at, column in enumerate(columns) if widths[at] > column.least]
        if not foldable:
            break
        widest = max(foldable, key=lambda at: widths[at])
        widths[widest] -= 1
        over -= 1
    return [
        replace(column, width=own) if own < column.natural else column
        for column, own in zip(columns, widths, strict=True)
    ]


def _as_text(value: object) -> Text:
    """What data hold, as text on one line: no markup, no control signs."""
    return Text(visible(str(value)).replace("\n", "\\n"))


def segments(frame: "pd.DataFrame") -> None:
    """A table with a row a segment; where that is too wide with a row a feature, and of very many only the sizes.

    Of more than 20 segments the largest are shown, and a line says so.
    """
    frame = largest(frame)
    if len(frame.columns) > _MOST_COLUMNS:
        table(frame.iloc[:, :_PLAIN_COLUMNS])
    elif sum(max(len(str(name)), 8) + 2 for name in (frame.index.name, *frame.columns)) <= _WIDEST:
        table(frame)
    else:
        table(frame.drop(columns="name").T.rename_axis("feature"))


def largest(frame: "pd.DataFrame") -> "pd.DataFrame":
    """The rows of the first 20 numbered segments, the largest, and of what has no number; a line says so if fewer."""
    numbers = [label for label in frame.index if isinstance(label, int)]
    if len(numbers) <= _MOST_SEGMENTS:
        return frame
    say(f"The {_MOST_SEGMENTS} largest of {len(numbers):,} segments; the files have all.")
    return frame.drop(index=numbers[_MOST_SEGMENTS:])


def cell(value: object) -> str:
    """One value as people read it: three figures, thousands marks, a dash for a gap."""
    from gauger.wording import plain_number

    if _is_gap(value):
        return "–"
    if hasattr(value, "date") and hasattr(value, "time"):
        return str(value).removesuffix(_MIDNIGHT)
    if isinstance(value, (bool, str)) or not hasattr(value, "__float__"):
        return str(value)
    return plain_number(float(value))


def percent_column(shares: "pd.Series[float]") -> list[str]:
    """Shares between 0 and 1 as percentages."""
    return [f"{share:.1%}" for share in shares]


def remarks(found: Iterable[Remark]) -> None:
    """Cautions, one a paragraph, to stderr."""
    for remark in found:
        _console(stderr=True).print(Text.assemble(("remark: ", "bold magenta"), visible(remark.text)))


def wrote(paths: "Sequence[Path]") -> None:
    """The files that were written, after an empty line: a few one a line and never broken, many in a paragraph."""
    if paths:
        say()
    if len(paths) > _MOST_PATHS:
        folder = paths[0].parent
        say(f"wrote {len(paths)} files into {folder}: {', '.join(str(path.relative_to(folder)) for path in paths)}")
        return
    for path in paths:
        _console().print(Text(visible(f"wrote {path}")), soft_wrap=True)


def next_step(command: str, why: str = "Next") -> None:
    """The command to type next, on one line so that it can be copied."""
    _console().print(Text(visible(f"{why}: {command}")), soft_wrap=True)


def fault(text: str) -> None:
    """What went wrong, in one message to stderr."""
    _console(stderr=True).print(Text.assemble(("gauger: ", "bold red"), visible(text)))


def _is_gap(value: object) -> bool:
    from pandas import isna

    return bool(isna(value))  # type: ignore[call-overload]


def _of_numbers(column: "Iterable[object]") -> bool:
    present = [value for value in column if not _is_gap(value)]
    return not present or any(hasattr(value, "__float__") or _NUMERIC.fullmatch(str(value)) for value in present)


class ProgressBars:
    """A listener that shows a bar on stderr for every task, once the work has taken a second."""

    def __init__(self) -> None:
        self._bars = Progress(
            TextColumn("{task.description}", markup=False),
            BarColumn(complete_style="blue"),
            TaskProgressColumn(),
            TimeRemainingColumn(),
            console=_console(stderr=True),
            transient=True,
        )
        self._patience: Timer | None = None
        self._interrupted = False

    def interrupt(self, _signal: int, _frame: object) -> None:
        """What Ctrl-C does: stop now, or at the next step where compiled code swallows the exception."""
        self._interrupted = True
        raise KeyboardInterrupt

    def started(self, name: str, total: int | None) -> object:
        if self._patience is None and self._bars.console.is_interactive:
            self._patience = Timer(_PATIENCE, self._bars.start)
            self._patience.daemon = True
            self._patience.start()
        return self._bars.add_task(visible(name), total=total)

    def noted(self, text: str) -> None:
        """What happened besides the work, as a separate line on stderr."""
        self._bars.console.print(Text(visible(text)))

    def advanced(self, mark: object, steps: int) -> None:
        assert isinstance(mark, int)
        if self._interrupted:
            raise KeyboardInterrupt
        self._bars.advance(TaskID(mark), steps)

    def finished(self, mark: object) -> None:
        assert isinstance(mark, int)
        self._bars.remove_task(TaskID(mark))
        if self._patience is not None and not self._bars.tasks:
            self._patience.cancel()
            self._patience.join()
            self._patience = None
            self._bars.stop()
