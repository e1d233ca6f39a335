"""Progress of long work in a notebook: a bar in the cell, that goes when the work is done."""

import html
import os
import time
from dataclasses import dataclass, field
from typing import Any

from gauger.wording import visible

_PATIENCE, _PACE = 1.0, 0.2
"""Seconds before a bar appears, for shorter work needs none, and between two looks of it; judgement."""

_SWITCH = "GAUGER_PROGRESS"
"""The environment variable that turns bars off where it is 0."""


def is_running() -> bool:
    """Whether this is a notebook's kernel, and nobody turned bars off."""
    if os.environ.get(_SWITCH) == "0":
        return False
    from IPython import get_ipython

    shell = get_ipython()
    return shell is not None and hasattr(shell, "kernel")


@dataclass
class _Task:
    name: str
    total: int | None
    done: int = 0


@dataclass
class NotebookBars:
    """A listener that keeps one output in the cell up to date with all tasks that are under way."""

    _tasks: list[_Task] = field(default_factory=list)
    _handle: Any = None
    _begun: float = 0.0
    _shown: float = 0.0

    def started(self, name: str, total: int | None) -> object:
        if not self._tasks:
            self._begun = time.monotonic()
        task = _Task(name, total)
        self._tasks.append(task)
        self._show()
        return task

    def advanced(self, mark: object, steps: int) -> None:
        assert isinstance(mark, _Task)
        mark.done += steps
        self._show()

    def finished(self, mark: object) -> None:
        self._tasks = [task for task in self._tasks if task is not mark]
        if not self._tasks and self._handle is not None:
            self._handle.update(_Bars(""))
            self._handle = None

    def _show(self) -> None:
        from IPython.display import display

        now = time.monotonic()
        if now - self._begun < _PATIENCE or now - self._shown < _PACE:
            return
        self._shown = now
        shown = _Bars("".join(map(_bar, self._tasks)))
        if self._handle is None:
            self._handle = display(shown, display_id=True)  # type: ignore[no-untyped-call]
        else:
            self._handle.update(shown)


@dataclass
class _Bars:
    """What a front end shows: HTML, and nothing in plain text, which would stay in the notebook."""

    content: str

    def _repr_html_(self) -> str:
        return self.content

    def __repr__(self) -> str:
        return ""


def _bar(task: _Task) -> str:
    name = html.escape(visible(task.name))
    if task.total is None:
        return f"<div>{name} <progress></progress></div>"
    share = min(100, 100 * task.done // max(task.total, 1))
    return f'<div>{name} <progress value="{task.done}" max="{task.total}"></progress> {share} %</div>'
