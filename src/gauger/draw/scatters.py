"""Segments over two features in original units, with their centres named."""

import math
from collections.abc import Sequence
from itertools import combinations

import numpy as np
import pandas as pd
from matplotlib.figure import Figure
from numpy.typing import NDArray

from gauger.appearance import INK
from gauger.draw.clouds import label_at
from gauger.draw.figure_typeface import LABEL
from gauger.draw.labels import push_apart
from gauger.draw.outlines import draw_outlines, refuse_bad_outline
from gauger.draw.planes import MOST_NAMED, draw_plane, name_segments, note_on_names, plane_of
from gauger.draw.style import new_figure
from gauger.errors import SettingError, UnknownColumnError
from gauger.profiling import FEWEST_SHARED, lies_around_centres, looks_mixed, share_placed
from gauger.segmentation import UNASSIGNED, Segmentation
from gauger.wording import listed

_MOST_LABELS = 12
"""Customers that a figure can name."""

Rows = NDArray[np.intp]


def scatter(
    seg: Segmentation,
    x: str | None = None,
    y: str | None = None,
    *,
    outline: str | None = None,
    label: Sequence[object] = (),
) -> Figure:
    """Draw customers as points over two features.

    The unassigned are small grey crosses. Segments that do not lie around their centres, such as rings, are named on
    their right side. More than 20,000 customers are shaded by how many they are, 20 segments are named, and the frame
    leaves out extreme values; a note below says so.

    Parameters
    ----------
    seg : Segmentation
        The segments.
    x, y : str, optional
        The features; by default the two that tell the segments apart best.
    outline : {"hull", "ellipse"}, optional
        Draw around each segment the hull of all its customers, or the ellipse that 90 % would be in, were it a
        normal cloud.
    label : sequence
        The keys of up to twelve customers to name.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    UnknownColumnError
        For a feature that the segmentation does not have.
    SettingError
        With only one feature, for an unknown outline, and for a key that is none.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> seg = gauger.segment_by_kmeans(features, 3)
    >>> gauger.draw.scatter(seg).get_suptitle()
    '3 segments of 12 customers by visits and spend'
    """
    seg = seg.sample
    across, up = chosen_axes(seg, x, y)
    named = _places_of(seg, label)
    refuse_bad_outline(outline)
    plane = plane_of(seg, across, up)
    notes = plane.note(seg.noun), note_on_names(seg.count), _note_on_mixing(seg, across, up)
    figure = new_figure(
        _title(seg, across, up),
        " ".join(filter(None, notes)),
        form=(
            f"A cloud of points, one for each of the {seg.noun.many}, its colour and shape by segment, the "
            "segments named beside their centres."
        ),
    )
    axes = figure.subplots()
    draw_plane(axes, plane, seg)
    draw_outlines(axes, plane.points, seg.codes, seg.numbers[:MOST_NAMED], outline, plane.curves)
    labels = name_segments(axes, plane, seg)
    for position in named.tolist():
        at = tuple(plane.points[position].tolist())
        axes.scatter(at[0], at[1], s=60, facecolor="none", edgecolor=INK, linewidth=1.4, zorder=4)
        labels.append(label_at(axes, at, f"  {seg.features.keys[position]}", size=LABEL))
    push_apart(axes, labels, plane.middles)
    return figure


def chosen_axes(seg: Segmentation, x: str | None, y: str | None) -> tuple[str, str]:
    """The two features that were asked for, or that tell the segments apart best."""
    names = list(seg.features.names)
    asked = [name for name in (x, y) if name is not None]
    if not set(asked) <= set(names):
        raise UnknownColumnError.among(asked, names)
    if len(names) < 2:
        raise SettingError("a scatter plot needs two features, and the segmentation has one.")
    pairs = [(one, two) for one, two in combinations(names, 2) if set(asked) <= {one, two}]
    if x is not None and y is not None:
        return x, y
    one, two = max(pairs, key=lambda pair: share_placed(seg, *pair))
    return (two, one) if x == two or y == one else (one, two)


def _title(seg: Segmentation, across: str, up: str) -> str:
    everyone, outside = len(seg.codes), int(np.count_nonzero(seg.codes == UNASSIGNED))
    if not seg.count:
        return f"None of the {seg.noun.counted(everyone)} is in a segment"
    if seg.count < 2:
        rest = f", {outside:,} in none" if outside else ""
        return f"{'All ' if not outside else ''}{seg.noun.counted(everyone - outside)} in one segment{rest}"
    if seg.edges is not None:
        return f"{seg.count} segments by bands of {listed(seg.edges, most=4)}"
    if not lies_around_centres(seg):
        rest = f", and {seg.noun.counted(outside)} in none (grey crosses)" if outside else ""
        return f"{seg.count} segments in shapes of their own{rest}"
    names = f"{across} and {up}".replace("_", " ")
    if len(seg.features.names) == 2:
        share = int(seg.sizes.max()) / everyone
        largest = f", the largest with {share:.0%}" if everyone >= FEWEST_SHARED else ""
        return f"{seg.count} segments of {seg.noun.counted(everyone)} by {names}{largest}"
    percent = math.floor(100.0 * share_placed(seg, across, up))  # 100 % is said only of everyone
    return f"{names.capitalize()} alone place {percent}% of {seg.noun.many} in their segment"


def _note_on_mixing(seg: Segmentation, across: str, up: str) -> str:
    """That segments which look mixed here are apart in all features, where it is so."""
    everywhere = share_placed(seg)
    if not looks_mixed(share_placed(seg, across, up), everywhere):
        return ""
    return f"They look mixed here, yet {everywhere:.0%} are nearest their own centre by all features."


def _places_of(seg: Segmentation, keys: Sequence[object]) -> Rows:
    positions = pd.Index(seg.features.keys).get_indexer(pd.Index(list(keys), dtype=object))
    strangers = [repr(key) for key, position in zip(keys, positions, strict=True) if position < 0]
    if strangers:
        raise SettingError(f"there is no {seg.noun.one} {listed(strangers, last='or')} to label.")
    if len(positions) > _MOST_LABELS:
        raise SettingError(
            f"{len(positions)} {seg.noun.many} to label are more than a figure can hold: at most {_MOST_LABELS}."
        )
    return np.asarray(positions)
