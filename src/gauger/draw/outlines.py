"""Lines around the customers of a segment."""

from collections.abc import Iterable
from typing import Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.patches import Polygon
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from gauger.appearance import segment_colour
from gauger.draw.curves import Curve
from gauger.errors import SettingError

OUTLINES = ("hull", "ellipse")

_SHARE_INSIDE = 0.9
"""The share of a normal cloud that an ellipse holds."""

_CORNERS = 120
"""Corners of an ellipse, so that it looks round."""

_LOOK: dict[str, Any] = {"fill": False, "linewidth": 1.6, "zorder": 3}
"""How outlines are drawn."""


def refuse_bad_outline(kind: str | None) -> None:
    """Raise SettingError for an outline that there is not."""
    if kind is not None and kind not in OUTLINES:
        raise SettingError.not_one_of("outline", kind, OUTLINES)


def draw_outlines(
    axes: Axes,
    points: NDArray[np.float64],
    codes: NDArray[np.integer],
    numbers: Iterable[int],
    kind: str | None,
    curves: tuple[Curve | None, Curve | None] = (None, None),
) -> None:
    """The outline asked for, if any, around each of some segments, as they stand on the axes."""
    if kind is None:
        return
    on_axes = np.column_stack(
        [column if curve is None else curve.forward(column) for curve, column in zip(curves, points.T, strict=True)]
    )
    for number in numbers:
        corners = _outline(on_axes[codes == number], kind)
        if corners is not None:
            own = [side if curve is None else curve.back(side) for curve, side in zip(curves, corners.T, strict=True)]
            axes.add_patch(Polygon(np.column_stack(own), edgecolor=segment_colour(number), **_LOOK))


def _outline(points: NDArray[np.float64], kind: str) -> NDArray[np.float64] | None:
    """The corners of a hull, or of an ellipse, around points (n, 2); None where they lie on a line."""
    points = points[~np.isnan(points).any(axis=1)]
    if kind == "hull":
        try:
            return np.asarray(points[ConvexHull(points).vertices])
        except (QhullError, ValueError):
            return None
    if len(points) < 3:
        return None
    spreads, directions = np.linalg.eigh(np.cov(points, rowvar=False))
    reach = np.sqrt(-2.0 * np.log(1.0 - _SHARE_INSIDE) * np.maximum(spreads, 0.0))
    turn = np.linspace(0.0, 2.0 * np.pi, _CORNERS, endpoint=False)
    circle = np.column_stack([np.cos(turn), np.sin(turn)])
    return np.asarray(points.mean(axis=0) + (circle * reach) @ directions.T)
