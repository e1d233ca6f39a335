"""What algorithms report to whoever uses them: how far they are, and what they refuse. By themselves they report to
nobody, and refuse by a ValueError."""

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager

Advance = Callable[[int], None]
Announce = Callable[[str, int | None], AbstractContextManager[Advance]]


@contextmanager
def _to_nobody(_name: str, _total: int | None = None) -> Iterator[Advance]:
    yield lambda _: None


_announce: list[Announce] = [_to_nobody]
_refusal: list[type[ValueError]] = [ValueError]


def report_through(announce: Announce, refusal: type[ValueError]) -> None:
    """Announce tasks, of a name and a number of steps, and raise refusals this way from now on."""
    _announce[:], _refusal[:] = [announce], [refusal]


def task(name: str, total: int | None = None) -> AbstractContextManager[Advance]:
    """Announce a task of `total` steps, None for unknown; call the value with the steps done since the last call."""
    return _announce[0](name, total)


def refusal(text: str) -> ValueError:
    """The error to raise for settings and values that an algorithm cannot take."""
    return _refusal[0](text)
