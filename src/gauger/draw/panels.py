"""Many panels in one figure, laid out so that no place stays empty."""

from collections.abc import Sequence
from math import lcm

from matplotlib.axes import Axes
from matplotlib.figure import Figure

_MOST_ACROSS = 4
"""Panels of a row in which names and numbers can still be read."""

_PANELS_BY_BARS = ((5, 16), (8, 12), (14, 8))
"""Up to so many labelled bars a panel, so many panels have room: four rows of four, three, two."""


def most_panels(bars: int) -> int:
    """How many panels with so many labelled bars a figure has room for."""
    return next((panels for most, panels in _PANELS_BY_BARS if bars <= most), _MOST_ACROSS)


def rows_of(count: int) -> list[int]:
    """How many panels each row has, as even as can be: seven as four and three, and four as two and two."""
    across = 2 if count == 4 else min(count, 3 if count in (3, 5, 6, 9) else _MOST_ACROSS)
    rows = -(-count // across)
    return [count // rows + (row < count % rows) for row in range(rows)]


def panels_for(figure: Figure, rows: Sequence[int]) -> list[tuple[Axes, bool]]:
    """Panels, so many in each row, and whether each is the first of its row; the panels of a row fill it."""
    across = lcm(*rows)
    grid = figure.add_gridspec(len(rows), across)
    return [
        (figure.add_subplot(grid[row, at * (across // many) : (at + 1) * (across // many)]), at == 0)
        for row, many in enumerate(rows)
        for at in range(many)
    ]
