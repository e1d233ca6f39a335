"""Two segmentations of the same customers on the same axes."""

import textwrap
from dataclasses import replace

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from gauger.draw.labels import push_apart
from gauger.draw.planes import Plane, draw_plane, name_segments, note_on_names, plane_of
from gauger.draw.scatters import chosen_axes
from gauger.draw.style import new_figure
from gauger.profiling import Comparison
from gauger.segmentation import UNASSIGNED, Segmentation, segmentation_from_codes
from gauger.wording import plural

_TITLE_WIDTH = 66
"""Letters of a line of a title."""


def side_by_side(comparison: Comparison, x: str | None = None, y: str | None = None) -> Figure:
    """Draw both segmentations of a comparison over two features.

    On the right a segment has the colour and the marker of the one that it matches on the left.

    Parameters
    ----------
    comparison : Comparison
        Of two segmentations.
    x, y : str, optional
        The features; by default those that tell the first one's segments apart best.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    UnknownColumnError, SettingError
        As `scatter` does.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> seg = gauger.segment_by_kmeans(features, 3)
    >>> comparison = gauger.compare(seg, gauger.segment_by_kmeans(features, 2), resamples=0)
    >>> gauger.draw.side_by_side(comparison).get_suptitle()
    '67% of customers are in matching segments (adjusted Rand 0.52)'
    """
    seg, other = comparison.seg, _on_the_same_features(comparison)
    left, right = plane_of(seg, *chosen_axes(seg, x, y)), plane_of(other, *chosen_axes(seg, x, y))
    colours = "On the right a segment has the colour of the one that it matches on the left."
    notes = colours, left.note(seg.noun), note_on_names(seg.count, other.count)
    figure = new_figure(
        _title(comparison),
        " ".join(filter(None, notes)),
        form=(
            f"Two clouds of points side by side, the same {comparison.noun.many} in both: left by the one "
            "division, right by the other."
        ),
    )
    panels = figure.subplots(1, 2, sharex=True, sharey=True)
    looks_there = _looks(comparison, other)
    sides: tuple[tuple[Axes, Plane, Segmentation, list[int]], ...] = (
        (panels[0], left, seg, []),
        (panels[1], right, other, looks_there),
    )
    for axes, plane, one, looks in sides:
        _panel(axes, plane, one, looks)
    for axes, plane, one, looks in sides:
        push_apart(axes, name_segments(axes, plane, one, looks), plane.middles)
    return figure


def _on_the_same_features(comparison: Comparison) -> Segmentation:
    """The other side's groups with the first side's features and customers; unassigned where it does not have them."""
    seg, other = comparison.seg, comparison.other
    keys = pd.Index(seg.features.keys)
    there = keys.isin(other.keys)
    codes = np.zeros(len(keys), dtype=np.int32)
    codes[there] = other.of(keys[there])
    present = [0, *(code for code in range(1, len(other.labels) + 1) if (codes == code).any())]
    drawn = segmentation_from_codes(seg.features, np.searchsorted(present, codes), method=other.title)
    names = [other.name_of(other.labels[code - 1]) for code in present[1:]]
    return replace(drawn, given_names=dict(enumerate(names, 1)))


def _panel(axes: Axes, plane: Plane, seg: Segmentation, looks: list[int]) -> None:
    outside = int(np.count_nonzero(seg.codes == UNASSIGNED))
    rest = f", {outside:,} unassigned" if outside else ""
    title = textwrap.fill(f"{seg.method}: {seg.count} {plural(seg.count, 'segment')}{rest}", _TITLE_WIDTH)
    draw_plane(axes, plane, seg, looks, title=title)


def _looks(comparison: Comparison, drawn: Segmentation) -> list[int]:
    """For each drawn segment of the other side the number whose colour and marker it takes: its match's, else a free
    one."""
    matches = comparison.matched["other"].dropna()
    labels = {comparison.other.name_of(label): number for label, number in zip(matches, matches.index, strict=True)}
    free = iter(range(comparison.seg.count + 1, comparison.seg.count + drawn.count + 1))
    names = [drawn.names[number] for number in drawn.numbers.tolist()]
    return [labels[name] if name in labels else next(free) for name in names]


def _title(comparison: Comparison) -> str:
    if comparison.association is not None:
        return f"{comparison.other.title}: {comparison.association.headline()}"
    return (
        f"{comparison.agreement:.0%} of {comparison.noun.many} are in matching segments "
        f"(adjusted Rand {comparison.adjusted_rand:.2f})"
    )
