"""Two segmentations of the same customers on the same axes."""

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
    sample_of,
)
from gauger.drawing.style import dress, new_figure
from gauger.errors import plural
from gauger.profiling import Comparison
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
    _panel(right, other, (across, up), rows, _looks(comparison))
    for axes in (left, right):
        frame(axes, (across, up), inside)
    for axes, one, numbers in ((left, seg, []), (right, other, _looks(comparison))):
        push_apart(axes, name_segments(axes, one, across, up, numbers))
    return figure


def _on_the_same_features(comparison: Comparison) -> Segmentation:
    """The other side's segments with the first side's features and order of customers."""
    seg, other = comparison.seg, comparison.other
    places = pd.Index(other.features.keys).get_indexer(pd.Index(seg.features.keys))
    drawn = segmentation_from_codes(seg.features, other.codes[places], method=other.method)
    return drawn.rename(other.given_names) if other.given_names else drawn


def _panel(axes: Axes, seg: Segmentation, names: tuple[str, str], rows: np.ndarray, numbers: list[int]) -> None:
    outside = int(np.count_nonzero(seg.codes == UNASSIGNED))
    rest = f", {outside:,} unassigned" if outside else ""
    dress(axes, title=f"{seg.method}: {seg.count} {plural(seg.count, 'segment')}{rest}", x=names[0], y=names[1])
    draw_customers(axes, seg, names, rows, numbers)


def _looks(comparison: Comparison) -> list[int]:
    """For each segment of the other side the number whose colour and marker it takes: its match's, else a free one."""
    matches = comparison.matched["other"].dropna()
    taken = dict(zip(matches.astype(int).tolist(), matches.index.tolist(), strict=True))
    free = iter(range(comparison.seg.count + 1, comparison.seg.count + comparison.other.count + 1))
    return [taken[number] if number in taken else next(free) for number in comparison.other.numbers.tolist()]


def _title(comparison: Comparison) -> str:
    return (
        f"{comparison.agreement:.0%} of customers are in matching segments "
        f"(adjusted Rand {comparison.adjusted_rand:.2f})"
    )
