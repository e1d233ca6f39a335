"""Many panels in one figure, laid out so that few places stay empty."""

from matplotlib.axes import Axes
from matplotlib.figure import Figure


def most_panels(rows: int) -> int:
    """How many panels with so many labelled rows a figure has room for: three rows of panels, two, or one."""
    return 9 if rows <= 8 else 6 if rows <= 14 else 3


def panels_for(figure: Figure, count: int) -> tuple[list[Axes], int]:
    """So many panels, up to three across (two where that fills the last row), and how many stand across."""
    across = 2 if count in (2, 4) else min(count, 3)
    grid = list(figure.subplots(-(-count // across), across, squeeze=False).ravel())
    for axes in grid[count:]:
        axes.set_axis_off()
    return grid[:count], across
