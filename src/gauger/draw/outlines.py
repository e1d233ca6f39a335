"""Lines around the customers of a segment."""

from collections.abc import Iterable
from typing import Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.patches import Ellipse, Polygon
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from gauger.draw.style import segment_colour
from gauger.errors import SettingError

OUTLINES = ("hull", "ellipse")

_SHARE_INSIDE = 0.9
"""The share of a normal cloud that an ellipse holds."""

_LOOK: dict[str, Any] = {"fill": False, "linewidth": 1.6, "zorder": 3}
"""How outlines are drawn."""


def refuse_bad_outline(kind: str | None) -> None:
    """Raise SettingError for an outline that there is not."""
    if kind is not None and kind not in OUTLINES:
        raise SettingError.not_one_of("outline", kind, OUTLINES)


def draw_outlines(
    axes: Axes, points: NDArray[np.float64], codes: NDArray[np.integer], numbers: Iterable[int], kind: str | None
) -> None:
    """The outline asked for, if any, around each of some segments."""
    if kind is not None:
        for number in numbers:
            _draw_outline(axes, points[codes == number], kind, segment_colour(number))


def _draw_outline(axes: Axes, points: NDArray[np.float64], kind: str, colour: str) -> None:
    """A hull or an ellipse around points (n, 2); nothing where they lie on a line."""
    points = points[~np.isnan(points).any(axis=1)]
    if kind == "hull":
        try:
            corners = points[ConvexHull(points).vertices]
        except (QhullError, ValueError):
            return
        axes.add_patch(Polygon(corners, edgecolor=colour, **_LOOK))
    elif len(points) > 2:
        spreads, directions = np.linalg.eigh(np.cov(points, rowvar=False))
        reach = np.sqrt(-2.0 * np.log(1.0 - _SHARE_INSIDE))
        width, height = 2.0 * reach * np.sqrt(np.maximum(spreads, 0.0))
        turn = float(np.degrees(np.arctan2(directions[1, 0], directions[0, 0])))
        axes.add_patch(Ellipse(tuple(points.mean(axis=0)), width, height, angle=turn, edgecolor=colour, **_LOOK))
