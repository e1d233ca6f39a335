"""Two segmentations of the same customers on the same axes."""

from dataclasses import replace

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from gauger.drawing.labels import push_apart
from gauger.drawing.scatters import (
    MOST_NAMED,
    chosen_axes,
    draw_customers,
    frame,
    frame_of,
    name_segments,
    note_on,
)
from gauger.drawing.style import dress, new_figure
from gauger.errors import plural
from gauger.profiling import Comparison
from gauger.profiling.closeness import sample_of
from gauger.segmentation import UNASSIGNED, Segmentation, segmentation_from_codes


def side_by_side(comparison: Comparison, x: str | None = None, y: str | None = None) -> Figure:
    """Both segmentations over two features, by default those that tell the first one's segments apart best.

    On the right a segment has the colour and the marker of the one that it matches on the left. Raises as `scatter`.
    """
    seg, other = comparison.seg, _on_the_same_features(comparison)
    across, up = chosen_axes(seg, x, y)
    table = seg.features.original
    rows = sample_of(len(table))
    inside = frame_of(table[across]), frame_of(table[up])
    colours = "On the right a segment has the colour of the one that it matches on the left."
    few = (
        f"Of more than {MOST_NAMED} segments the largest are named." if max(seg.count, other.count) > MOST_NAMED else ""
    )
    notes = colours, note_on(table, (across, up), inside, len(rows)), few
    figure = new_figure(_title(comparison), " ".join(filter(None, notes)))
    left, right = figure.subplots(1, 2, sharex=True, sharey=True)
    _panel(left, seg, (across, up), rows, [])
    _panel(right, other, (across, up), rows, _looks(comparison, other))
    for axes in (left, right):
        frame(axes, (across, up), inside)
    for axes, one, numbers in ((left, seg, []), (right, other, _looks(comparison, other))):
        push_apart(axes, name_segments(axes, one, across, up, numbers))
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


def _panel(axes: Axes, seg: Segmentation, names: tuple[str, str], rows: np.ndarray, numbers: list[int]) -> None:
    outside = int(np.count_nonzero(seg.codes == UNASSIGNED))
    rest = f", {outside:,} unassigned" if outside else ""
    dress(axes, title=f"{seg.method}: {seg.count} {plural(seg.count, 'segment')}{rest}", x=names[0], y=names[1])
    draw_customers(axes, seg, names, rows, numbers)


def _looks(comparison: Comparison, drawn: Segmentation) -> list[int]:
    """For each drawn segment of the other side the number whose colour and marker it takes: its match's, else a free
    one."""
    matches = comparison.matched["other"].dropna()
    labels = {comparison.other.name_of(label): number for label, number in zip(matches, matches.index, strict=True)}
    free = iter(range(comparison.seg.count + 1, comparison.seg.count + drawn.count + 1))
    names = [drawn.names[number] for number in drawn.numbers.tolist()]
    return [labels[name] if name in labels else next(free) for name in names]


def _title(comparison: Comparison) -> str:
    return (
        f"{comparison.agreement:.0%} of customers are in matching segments "
        f"(adjusted Rand {comparison.adjusted_rand:.2f})"
    )
