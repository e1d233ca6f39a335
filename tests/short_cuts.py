"""What takes most of the time of small studies is left out, unless somebody looks at it.

Figures are not rendered, their labels not measured, and a page's typeface is not fitted to it.
"""

from collections.abc import Callable, Iterator, Sequence
from contextlib import AbstractContextManager, ExitStack, contextmanager
from pathlib import Path
from typing import Any
from unittest.mock import patch

from gauger.draw.style import PlainFigure
from gauger.report import firmness, how_many, page, profile_part
from gauger.report.pictures import Picture
from gauger.tables import Results

_BLANK = Picture("data:,", 1280, 800, "a picture")
_add_figure = Results.add_figure


def _leave_blank(results: Results, name: str, _figure: object) -> None:
    results.path(name).write_bytes(b"")


Attribute = tuple[Any, str, Callable[..., object]]

_IN_PAGES: Sequence[Attribute] = (
    (page, "fonts_of", lambda _: ""),
    *((part, "picture_of", lambda _: _BLANK) for part in (firmness, how_many, page, profile_part)),
)
_EVERYWHERE: Sequence[Attribute] = (
    (Results, "add_figure", _leave_blank),
    (PlainFigure, "draw_without_rendering", lambda _: None),
    *_IN_PAGES,
)
_REAL: Sequence[Attribute] = [(owner, name, getattr(owner, name)) for owner, name, _ in _EVERYWHERE]


@contextmanager
def _patched(attributes: Sequence[Attribute]) -> Iterator[None]:
    with ExitStack() as patches:
        for owner, name, value in attributes:
            patches.enter_context(patch.object(owner, name, value))
        yield


def short_cuts() -> AbstractContextManager[None]:
    """Nothing is drawn, unless a test asks for it."""
    return _patched(_EVERYWHERE)


def drawn_in_full() -> AbstractContextManager[None]:
    """Everything is drawn as users see it, and saved."""
    return _patched(_REAL)


def only_drawn(file: str | None) -> AbstractContextManager[None]:
    """Of the files that are written, one figure alone is drawn, or none; what is shown otherwise is."""

    def add_figure(results: Results, name: str, figure: Any) -> None:
        if file is not None and Path(file).name == Path(name).name:
            _add_figure(results, name, figure)
        else:
            _leave_blank(results, name, figure)

    return _patched([(Results, "add_figure", add_figure), *_IN_PAGES])
