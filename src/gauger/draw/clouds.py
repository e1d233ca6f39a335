"""Customers over two measures: as points with their segment's colour and marker, and very many of them as shading."""

from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.colors import to_rgb
from matplotlib.patheffects import withStroke
from matplotlib.text import Text
from numpy.typing import NDArray

from gauger.appearance import INK, PAPER, segment_colour, segment_marker
from gauger.draw.curves import Curve, even_steps, span_on
from gauger.segmentation import UNASSIGNED
from gauger.wording import Noun

MOST_POINTS = 20_000
"""So many customers are drawn one by one; of more there is shading."""

_ACROSS, _DOWN = 170, 106
"""Cells of a shaded cloud, across and down: about six pixels each."""

_FAINTEST = 0.12
"""The opacity of a cell with one customer: by eye."""

Span = tuple[float, float]
Spans = tuple[Span, Span]
Points = NDArray[np.float64]
Codes = NDArray[np.integer]


def draw_cloud(
    axes: Axes,
    points: Points,
    codes: Codes,
    inside: Spans,
    looks: Sequence[int] = (),
    *,
    scale: float = 1.0,
    curves: tuple[Curve | None, Curve | None] = (None, None),
) -> None:
    """Customers at `points` (n, 2), in the colours of their segments or of `looks`, one for each segment.

    More than 20,000 are shaded within the frame `inside`: the darker, the more customers; of mixed colour where
    segments mix. Where a value is missing nobody is drawn.
    """
    there = ~np.isnan(points).any(axis=1)
    points, codes = points[there], codes[there]
    numbers = [UNASSIGNED, *(looks or range(1, int(codes.max(initial=0)) + 1))]
    if len(points) > MOST_POINTS:
        _shade(axes, points, np.array(numbers)[codes], inside, curves)
        return
    for code, number in enumerate(numbers):
        own = points[codes == code]
        if not len(own):
            continue
        axes.scatter(
            own[:, 0],
            own[:, 1],
            s=(26 if number else 16) * scale,
            alpha=0.6 if number else 0.9,
            color=segment_colour(number),
            marker=segment_marker(number),
            linewidths=0.0 if number else 0.8,
        )


def _shade(axes: Axes, points: Points, shown: Codes, inside: Spans, curves: tuple[Curve | None, Curve | None]) -> None:
    """Cells of the frame in the mean colour of the customers there, the more opaque the more they are.

    Cells are alike where they stand on the axes.
    """
    points = np.column_stack(
        [column if curve is None else curve.forward(column) for curve, column in zip(curves, points.T, strict=True)]
    )
    (left, right), (low, high) = (span_on(curve, span) for curve, span in zip(curves, inside, strict=True))
    across = np.floor((points[:, 0] - left) / (right - left) * _ACROSS)
    up = np.floor((points[:, 1] - low) / (high - low) * _DOWN)
    held = (across >= 0) & (across < _ACROSS) & (up >= 0) & (up < _DOWN)
    cells = (up[held] * _ACROSS + across[held]).astype(np.intp)
    counts, sums = np.zeros(_ACROSS * _DOWN), np.zeros((_ACROSS * _DOWN, 3))
    for number in np.unique(shown[held]):
        own = np.bincount(cells[shown[held] == number], minlength=len(counts))
        counts += own
        sums += own[:, None] * np.array(to_rgb(segment_colour(int(number))))
    colours = np.zeros((len(counts), 4))
    filled = counts > 0
    colours[filled, :3] = sums[filled] / counts[filled, None]
    strength = np.log1p(counts[filled]) / np.log1p(counts.max(initial=1.0))
    colours[filled, 3] = _FAINTEST + (1.0 - _FAINTEST) * strength
    edges = even_steps(curves[0], inside[0], _ACROSS), even_steps(curves[1], inside[1], _DOWN)
    axes.pcolormesh(*edges, colours.reshape(_DOWN, _ACROSS, 4), rasterized=True)  # an image would stand on even scales


def note_on_points(customers: int, noun: Noun) -> str:
    """What shading means, where there are too many for points."""
    return f"The darker, the more of the {noun.counted(customers)} are there." if customers > MOST_POINTS else ""


def mark_centre(axes: Axes, at: Span, number: int, *, size: int = 150) -> None:
    """A segment's marker, large, with a dark edge."""
    axes.scatter(
        *at, s=size, color=segment_colour(number), marker=segment_marker(number), edgecolor=INK, linewidth=1.6, zorder=4
    )


def label_at(axes: Axes, at: Span, text: str, *, size: float, weight: str = "normal") -> Text:
    """Text beside a point, with a light edge so that it can be read on top of points."""
    halo = [withStroke(linewidth=4, foreground=PAPER)]
    look = {"fontsize": size, "fontweight": weight, "color": INK, "va": "center", "zorder": 5}
    return axes.text(at[0], at[1], text, path_effects=halo, **look)  # type: ignore[arg-type]
