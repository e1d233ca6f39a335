"""Listening to progress: what every task announces and does."""

from collections.abc import Iterator
from contextlib import contextmanager

import gauger


@contextmanager
def heard_steps() -> Iterator[dict[str, list[int | None]]]:
    """The steps of each task by its name: how many were announced, then how many at a time were done."""
    heard: dict[str, list[int | None]] = {}

    class Listener:
        def started(self, name: str, total: int | None) -> str:
            heard[name] = [total]
            return name

        def advanced(self, name: object, steps: int) -> None:
            heard[str(name)].append(steps)

        def finished(self, _name: object) -> None: ...

    with gauger.listening(Listener()):
        yield heard
