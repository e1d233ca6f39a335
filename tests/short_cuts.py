"""What takes most of the time of small studies is left out, unless a test is about it.

Figures are not rendered, their labels not measured, and a page's typeface is not fitted to it.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
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
def short_cuts() -> Iterator[None]:
    with pytest.MonkeyPatch.context() as patch:
        for owner, name, quick in _SHORT_CUTS:
            patch.setattr(owner, name, quick)
        yield


@contextmanager
def drawn_in_full() -> Iterator[None]:
    """Everything is drawn as users see it, and saved."""
    with pytest.MonkeyPatch.context() as patch:
        for owner, name, real in _REAL:
            patch.setattr(owner, name, real)
        yield
