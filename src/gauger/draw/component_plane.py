"""Segments over the two principal components, with where each feature points."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.text import Text

from gauger.appearance import INK
from gauger.draw.clouds import label_at
from gauger.draw.figure_typeface import AXIS
from gauger.draw.labels import push_apart
from gauger.draw.outlines import draw_outlines, refuse_bad_outline
from gauger.draw.planes import MOST_NAMED, Plane, draw_plane, name_segments, note_on_names, right_side
from gauger.draw.style import new_figure
from gauger.profiling import Components, components_of, lies_around_centres
from gauger.segmentation import Segmentation

MOST_ARROWS = 8
"""Arrows that can be told apart."""

_REACH = 0.62
"""How far the longest arrow reaches into the frame: by eye."""


def component_scatter(seg: Segmentation, *, outline: str | None = None) -> Figure:
    """Draw customers over the first two principal components of the features on their working scale.

    The axes say how much of all variance they show. Arrows are features: they point where customers have more of it,
    and are as long as its correlation with the two components. At most the eight longest are drawn.

    Parameters
    ----------
    seg : Segmentation
        The segments.
    outline : {"hull", "ellipse"}, optional
        Draw around each segment the hull of all its customers, or the ellipse that 90 % would be in, were it a
        normal cloud.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        With one feature only, or when all customers are alike.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> seg = gauger.segment_by_kmeans(features, 3)
    >>> gauger.draw.component_scatter(seg).get_suptitle()
    'Two components show 100% of the variance and place 100% of customers in their segment'
    """
    seg = seg.sample
    refuse_bad_outline(outline)
    found = components_of(seg)
    middles = found.centres
    if not lies_around_centres(seg):
        middles = np.array(
            [right_side(found.points[seg.codes == number], middles[number - 1]) for number in seg.numbers]
        )
    axis_names = [
        f"{which} component: {share:.0%} of the variance"
        for which, share in zip(("first", "second"), found.shares, strict=True)
    ]
    plane = Plane.of((axis_names[0], axis_names[1]), found.points, middles.reshape(-1, 2))
    arrows = found.directions.loc[np.hypot(*found.directions.to_numpy().T) > 0.0]
    order = np.argsort(-np.hypot(*arrows.to_numpy().T), kind="stable")[:MOST_ARROWS]
    fewer = f"Of {len(found.directions)} features the {MOST_ARROWS} with the longest arrows are shown."
    notes = plane.note(seg.noun), note_on_names(seg.count), fewer if len(arrows) > MOST_ARROWS else ""
    figure = new_figure(
        _title(seg, found),
        " ".join(filter(None, notes)),
        form=(
            f"A cloud of points over the two directions in which the {seg.noun.many} differ most, colour and "
            "shape by segment; lines show which way each feature points."
        ),
    )
    axes = figure.subplots()
    draw_plane(axes, plane, seg)
    draw_outlines(axes, plane.points, seg.codes, seg.numbers[:MOST_NAMED], outline)
    labels = name_segments(axes, plane, seg)
    for position in order.tolist():
        labels.append(_arrow(axes, plane, arrows.iloc[position].to_numpy(), str(arrows.index[position])))
    push_apart(axes, labels, plane.middles)
    return figure


def _arrow(axes: Axes, plane: Plane, direction: np.ndarray, feature: str) -> Text:
    """An arrow from the middle of all customers; a correlation of 1 reaches well towards the frame."""
    scale = _REACH * min(min(-low, high) if low < 0.0 < high else high - low for low, high in plane.inside)
    x, y = (direction * max(scale, 0.25 * _span(plane))).tolist()
    look = {"arrowstyle": "-|>", "color": INK, "linewidth": 1.6, "shrinkA": 0.0, "shrinkB": 0.0}
    axes.annotate("", (x, y), (0.0, 0.0), arrowprops=look, zorder=4)
    return label_at(axes, (x, y), f"  {feature}", size=AXIS)


def _span(plane: Plane) -> float:
    return min(high - low for low, high in plane.inside)


def _title(seg: Segmentation, found: Components) -> str:
    shown = f"Two components show {found.shares.sum():.0%} of the variance"
    if seg.count < 2 or not lies_around_centres(seg):
        return shown
    if found.hides:
        return f"{shown}: segments look mixed here ({found.placed:.0%} placed) and are apart in all features"
    return f"{shown} and place {np.floor(100.0 * found.placed):.0f}% of {seg.noun.many} in their segment"
