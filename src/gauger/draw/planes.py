"""A plane: customers over two measures, the frame that is drawn of it, and where its segments are named."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from matplotlib.axes import Axes
from matplotlib.text import Text
from numpy.typing import NDArray

from gauger.draw.clouds import Points, Span, Spans, draw_cloud, label_at, mark_centre, note_on_points
from gauger.draw.curves import Curve, curve_of, follow, span_back
from gauger.draw.figure_typeface import PANEL
from gauger.draw.labels import short_name
from gauger.draw.style import dress
from gauger.profiling import lies_around_centres
from gauger.segmentation import Segmentation
from gauger.wording import Noun, plural

MOST_NAMED = 20
"""Segments whose names find room."""

Curves = tuple[Curve | None, Curve | None]

_RIGHT_SIDE = 0.98
"""The quantile, across, at which a segment without a middle is named."""


@dataclass(frozen=True, eq=False)
class Plane:
    """Customers at `points` (n, 2), segments named at `middles` (k, 2), within the frame `inside`.

    `equal` is whether both axes have the same scale, as a map has; `curves` are those that the axes follow.
    """

    x: str
    y: str
    points: Points
    middles: Points
    inside: Spans
    equal: bool = False
    curves: Curves = (None, None)

    @classmethod
    def of(
        cls,
        names: tuple[str, str],
        points: Points,
        middles: Points,
        *,
        equal: bool = False,
        curves: Curves = (None, None),
    ) -> "Plane":
        """The plane of points with the frame that suits them."""
        inside = frame_of(points[:, 0], curves[0]), frame_of(points[:, 1], curves[1])
        return cls(*names, points, middles, inside, equal, curves)

    def note(self, noun: Noun) -> str:
        """What a figure of the plane leaves out, and what shading means."""
        lacking = np.atleast_1d(np.isnan(self.points).any(axis=1))
        outside = np.zeros(len(lacking), dtype=np.bool_)
        for position, (low, high) in enumerate(self.inside):
            outside |= (self.points[:, position] < low) | (self.points[:, position] > high)
        parts = [note_on_points(int((~lacking).sum()), noun)]
        if beyond := int(outside.sum()):
            lie = plural(beyond, "lies", "lie")
            parts.append(f"{noun.counted(beyond)} with extreme values {lie} outside the frame.")
        if without := int(lacking.sum()):
            parts.append(f"{noun.counted(without)} without a recorded value {plural(without, 'is', 'are')} not drawn.")
        return " ".join(filter(None, parts))


def plane_of(seg: Segmentation, across: str, up: str) -> Plane:
    """The plane of two features in original units.

    Segments are named at their centres, or on their right side where they do not lie around centres; bands are cut, and
    have no shape of their own to stand beside.
    """
    points = seg.features.original[[across, up]].to_numpy(dtype=np.float64)
    middles = seg.centres[[across, up]].to_numpy(dtype=np.float64)
    if not lies_around_centres(seg) and seg.edges is None:
        middles = np.array(
            [right_side(points[seg.codes == number], middle) for number, middle in enumerate(middles, 1)]
        )
    kilometres = across.endswith("_km") and up.endswith("_km")
    curves = curve_of(seg.features, across), curve_of(seg.features, up)
    return Plane.of((across, up), points, middles.reshape(-1, 2), equal=kilometres, curves=curves)


def right_side(points: Points, otherwise: Points) -> Points:
    """The customer farthest to the right, the last 2 % left aside; `otherwise` when nobody is there."""
    points = points[~np.isnan(points).any(axis=1)]
    if not len(points):
        return otherwise
    position = np.argsort(points[:, 0], kind="stable")[int(_RIGHT_SIDE * (len(points) - 1))]
    return np.asarray(points[position])


def frame_of(values: NDArray[np.float64], curve: Curve | None = None) -> Span:
    """Limits around all values, or around their middle 99 % when the rest would stretch the frame to double.

    Under a curve that is measured where values stand on the axis.
    """
    values = values[~np.isnan(values)]
    values = values if curve is None else curve.forward(values)
    if not values.size:
        return -1.0, 1.0
    inner_low, inner_high = (float(limit) for limit in np.quantile(values, (0.005, 0.995)))
    span = max(inner_high - inner_low, 1e-9)
    inside = values[(values >= inner_low - 0.5 * span) & (values <= inner_high + 0.5 * span)]
    low, high = float(inside.min()), float(inside.max())
    margin = 0.05 * (high - low or 1.0)
    return span_back(curve, (low - margin, high + margin))


def draw_plane(
    axes: Axes, plane: Plane, seg: Segmentation, looks: Sequence[int] = (), *, title: str = "", scale: float = 1.0
) -> None:
    """Customers in the colours of their segments, or of `looks`, one for each segment, and the axes that they need."""
    for which, curve, span in zip(("x", "y"), plane.curves, plane.inside, strict=True):
        follow(axes, which, curve, span)  # type: ignore[arg-type]
    draw_cloud(axes, plane.points, seg.codes, plane.inside, looks, scale=scale, curves=plane.curves)
    dress(axes, title=title, x=plane.x, y=plane.y)
    axes.set_xlim(*plane.inside[0])
    axes.set_ylim(*plane.inside[1])
    if plane.equal:
        axes.set_aspect("equal", adjustable="box")


def name_segments(axes: Axes, plane: Plane, seg: Segmentation, looks: Sequence[int] = ()) -> list[Text]:
    """Each segment's marker, name and size at its middle; of more than 20 segments the largest are named."""
    size = 150 if lies_around_centres(seg) or seg.edges is not None else 70
    labels = []
    for number in seg.numbers[:MOST_NAMED].tolist():
        at = tuple(plane.middles[number - 1].tolist())
        if np.isnan(at).any():
            continue
        mark_centre(axes, at, looks[number - 1] if looks else number, size=size)
        count = f" ({seg.sizes[number]:,})"
        labels.append(label_at(axes, at, f"   {short_name(seg.names[number])}{count}", size=PANEL, weight="bold"))
    return labels


def note_on_names(*counts: int) -> str:
    """What a figure says of segments that it does not name."""
    return f"The {MOST_NAMED} largest of {max(counts):,} segments are named." if max(counts) > MOST_NAMED else ""
