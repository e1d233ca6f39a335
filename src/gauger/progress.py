"""Progress of long work: the core reports it here, and whoever listens shows it; nobody listening costs nothing."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Protocol


class Listener(Protocol):
    """What a front end offers to be told how far work has come."""

    def started(self, name: str, total: int | None) -> object:
        """A task of `total` steps, or of unknown length, begins; the answer is the mark that later calls carry."""

    def advanced(self, mark: object, steps: int) -> None:
        """That many more steps of the task are done."""

    def finished(self, mark: object) -> None:
        """The task is over, done or not."""


_listener: ContextVar[Listener | None] = ContextVar("gauger_progress", default=None)


@contextmanager
def listening(listener: Listener) -> Iterator[None]:
    """Send the progress of everything inside the `with` block to `listener`."""
    token = _listener.set(listener)
    try:
        yield
    finally:
        _listener.reset(token)


@contextmanager
def task(name: str, total: int | None = None) -> Iterator[Callable[[int], None]]:
    """Announce a task of `total` steps, None for unknown; call the value with the steps done since the last call."""
    listener = _listener.get()
    if listener is None:
        yield lambda _: None
        return
    mark = listener.started(name, total)
    try:
        yield lambda steps: listener.advanced(mark, steps)
    finally:
        listener.finished(mark)
