"""What takes most of the time of small studies is left out, unless a test is about it.

Figures are not rendered, their labels not measured, and a page's typeface is not fitted to it.
"""

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from typing import Any

import pytest

from gauger.draw.style import PlainFigure
from gauger.report import firmness, how_many, page, profile_part
from gauger.report.pictures import Picture
from gauger.tables import Results

_BLANK = Picture("data:,", 1280, 800, "a picture")


def _leave_blank(results: Results, name: str, _figure: object) -> None:
    results.path(name).write_bytes(b"")


_SHORT_CUTS: list[tuple[Any, str, Callable[..., object]]] = [
    (Results, "add_figure", _leave_blank),
    (PlainFigure, "draw_without_rendering", lambda _: None),
    (page, "fonts_of", lambda _: ""),
    *((part, "picture_of", lambda _: _BLANK) for part in (firmness, how_many, page, profile_part)),
]
_REAL = [(owner, name, getattr(owner, name)) for owner, name, _ in _SHORT_CUTS]


@contextmanager
def _patched(attributes: list[tuple[Any, str, Callable[..., object]]]) -> Iterator[None]:
    with pytest.MonkeyPatch.context() as patch:
        for owner, name, value in attributes:
            patch.setattr(owner, name, value)
        yield


def short_cuts() -> AbstractContextManager[None]:
    """Nothing is drawn, unless a test asks for it."""
    return _patched(_SHORT_CUTS)


def drawn_in_full() -> AbstractContextManager[None]:
    """Everything is drawn as users see it, and saved."""
    return _patched(_REAL)
