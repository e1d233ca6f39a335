"""A band that runs from one column of boxes to the next."""

from matplotlib.axes import Axes
from matplotlib.patches import PathPatch
from matplotlib.path import Path

from gauger.appearance import FAINT


def ribbon(
    axes: Axes,
    start: tuple[float, float],
    end: tuple[float, float],
    heights: tuple[float, float],
    colour: str,
    *,
    alpha: float = 0.35,
) -> None:
    """A band from the upper corner `start` to the upper corner `end`, as high as `heights` at either side."""
    (x0, y0), (x1, y1) = start, end
    middle = (x0 + x1) / 2.0
    corners = [
        (x0, y0),
        (middle, y0),
        (middle, y1),
        (x1, y1),
        (x1, y1 - heights[1]),
        (middle, y1 - heights[1]),
        (middle, y0 - heights[0]),
        (x0, y0 - heights[0]),
        (x0, y0),
    ]
    codes = [Path.MOVETO, *[Path.CURVE4] * 3, Path.LINETO, *[Path.CURVE4] * 3, Path.CLOSEPOLY]
    axes.add_patch(PathPatch(Path(corners, codes), facecolor=colour, edgecolor=FAINT, linewidth=0.4, alpha=alpha))
