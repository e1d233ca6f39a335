"""Progress of long work: the core reports it here, and whoever listens shows it; nobody listening costs nothing."""

import logging
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


_log = logging.getLogger("gauger")

_listener: ContextVar[Listener | None] = ContextVar("gauger_progress", default=None)
_otherwise: list[Callable[[], Listener | None]] = []


def set_default_listener(find: Callable[[], Listener | None]) -> None:
    """Let whom `find` gives, once a task begins, be told where nobody listens: a notebook's cell."""
    _otherwise[:] = [find]


@contextmanager
def listening(listener: Listener) -> Iterator[None]:
    """Send the progress of everything inside the `with` block to a listener.

    Parameters
    ----------
    listener : Listener
        Has `started(name, total)`, whose answer is the mark that `advanced(mark, steps)` and `finished(mark)` get.

    Yields
    ------
    None
        Nothing; the work stands in the block.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> class Names:
    ...     def __init__(self): self.heard = []
    ...     def started(self, name, total): self.heard.append(name)
    ...     def advanced(self, mark, steps): ...
    ...     def finished(self, mark): ...
    >>> names, table = Names(), pd.DataFrame({"who": list("abcd"), "visits": [1, 2, 9, 10]})
    >>> with gauger.listening(names):
    ...     seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    >>> "k-means, 2 segments" in names.heard
    True
    """
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
        listener = _otherwise[0]() if _otherwise else None
        if listener is not None:
            with listening(listener), task(name, total) as advance:
                yield advance
            return
        yield lambda _: None
        return
    mark = listener.started(name, total)
    try:
        yield lambda steps: listener.advanced(mark, steps)
    finally:
        listener.finished(mark)


def note(text: str) -> None:
    """Say something that happened besides the work; a listener hears it by `noted`, else it goes to the log."""
    hear = getattr(_listener.get(), "noted", None)
    if hear is None:
        _log.warning(text)
    else:
        hear(text)
