"""The figure beside a result: results ask for it here, and whoever can draw answers; nobody there means no figure."""

from collections.abc import Callable

Drawer = Callable[[object], str]
"""Gives a result's figure as HTML; empty where the result has none."""

_drawers: list[Drawer] = []


def drawn_by(drawer: Drawer) -> None:
    """Let results be drawn by this one from now on."""
    _drawers[:] = [drawer]


def picture_of(result: object) -> str:
    """The figure of a result, as HTML to stand beside its table; empty where there is none."""
    return _drawers[0](result) if _drawers else ""
