"""How segments split as the count grows: a column a count, a band for the customers who go from one to the next."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle
from numpy.typing import NDArray

from gauger.algorithms.statistics import contingency_table
from gauger.appearance import INK, segment_colour
from gauger.choosing import CountStudy
from gauger.draw.figure_typeface import LABEL, PANEL
from gauger.draw.ribbons import ribbon
from gauger.draw.style import new_figure
from gauger.errors import SettingError
from gauger.segmentation import Segmentation
from gauger.wording import listed

MOST_COLUMNS = 8
"""Columns whose bands can be followed."""

_BOX, _SPACE = 0.10, 0.018
"""The width of a box, and the space between two."""

_LABELLED = 0.03
"""The smallest share whose number fits its box."""

Tops = dict[int, float]
Looks = dict[int, int]


def segment_splits(study: CountStudy, counts: Sequence[int] | None = None) -> Figure:
    """Draw which segments come from which when there is one more; bands are as wide as they have customers.

    Segments stand so that bands cross little. A segment has its own colour at the advised count, and keeps it from
    count to count: of the parts of one that splits, the largest keeps it.

    Parameters
    ----------
    study : CountStudy
        The study.
    counts : sequence of int, optional
        At most eight; by default from 1 (or the lowest count studied) to two above the advised one.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        For counts that were not studied.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(15), "visits": [*range(5), *range(40, 45), *range(90, 95)]})
    >>> study = gauger.study_counts(gauger.prepare(table, key="who"), counts=range(1, 6))
    >>> gauger.draw.segment_splits(study).get_suptitle()
    'From 2 to 3, segment 1 splits and 100% of customers stay with their own'
    """
    tried = list(study.segmentations)
    shown = sorted(counts) if counts is not None else _default_counts(study)
    strangers = [str(count) for count in shown if count not in tried]
    if strangers or not 0 < len(shown) <= MOST_COLUMNS:
        raise SettingError(
            f"counts={shown} must be one to {MOST_COLUMNS} of those studied: {listed(map(str, tried), most=12)}."
        )
    figure = new_figure(
        _title(study, shown),
        form=(
            f"A column for each number of segments, a box a segment, as high as it has {study.noun.many}; "
            "bands show where they go from one column to the next."
        ),
    )
    axes = figure.subplots()
    axes.set_axis_off()
    made = [study.segmentations[count] for count in shown]
    orders = _orders(made)
    looks = _looks(made, shown.index(study.advice.count) if study.advice.count in shown else 0)
    for position, (count, order) in enumerate(zip(shown, orders, strict=True)):
        if position:
            _draw_bands(axes, position, made[position - 1], made[position], orders, looks[position])
        _draw_boxes(axes, position, made[position], order, looks[position])
        name = f"{count}\nadvised" if count == study.advice.count else f"{count}\n"
        axes.text(
            position + _BOX / 2, 1.09, name, ha="center", va="center", fontsize=PANEL, color=INK, fontweight="bold"
        )
    axes.set_xlim(-0.1, len(shown) - 1 + _BOX + 0.1)
    axes.set_ylim(-0.02, 1.14)
    return figure


def _default_counts(study: CountStudy) -> list[int]:
    tried = list(study.segmentations)
    last = max(study.advice.count, *study.advice.alternatives, 0) + 1
    return [count for count in tried if count <= last][-MOST_COLUMNS:] or tried[:MOST_COLUMNS]


def _flows(one: Segmentation, other: Segmentation) -> NDArray[np.float64]:
    """Shares of all customers by segment of the one and of the other."""
    return contingency_table(one.codes - 1, other.codes - 1, (one.count, other.count)) / len(one.codes)


def _orders(segmentations: Sequence[Segmentation]) -> list[list[int]]:
    """Segment numbers from top to bottom, by where their customers stood in the column before."""
    orders = [list(range(1, segmentations[0].count + 1))]
    for one, other in pairwise(segmentations):
        positions = np.empty(one.count)
        positions[np.array(orders[-1]) - 1] = np.arange(one.count)
        flows = _flows(one, other)
        middles = (flows * positions[:, None]).sum(axis=0) / flows.sum(axis=0)
        orders.append([int(number) + 1 for number in np.argsort(middles, kind="stable")])
    return orders


def _looks(segmentations: Sequence[Segmentation], anchor: int) -> list[Looks]:
    """The colour of each segment of each column, by number: their own numbers at the anchor, kept from there."""
    looks: list[Looks] = [{} for _ in segmentations]
    looks[anchor] = {number: number for number in segmentations[anchor].numbers.tolist()}
    for at in range(anchor, 0, -1):
        looks[at - 1] = _kept(_flows(segmentations[at], segmentations[at - 1]), looks[at])
    for at in range(anchor + 1, len(segmentations)):
        looks[at] = _kept(_flows(segmentations[at - 1], segmentations[at]), looks[at - 1])
    return looks


def _kept(flows: NDArray[np.float64], known: Looks) -> Looks:
    """Colours of the columns' segments: that of the row they share most with, largest first; else a new one."""
    found: Looks = {}
    for at in np.argsort(-flows, axis=None, kind="stable").tolist():
        row, column = divmod(at, flows.shape[1])
        if flows[row, column] > 0.0 and column + 1 not in found and known[row + 1] not in found.values():
            found[column + 1] = known[row + 1]
    new = (look for look in range(1, sum(flows.shape) + 1) if look not in {*known.values(), *found.values()})
    return {number: found[number] if number in found else next(new) for number in range(1, flows.shape[1] + 1)}


def _tops(seg: Segmentation, order: Sequence[int]) -> tuple[Tops, float]:
    """Where each segment's box begins, from 1 downwards, and how high one customer in all is."""
    scale = 1.0 - _SPACE * (seg.count - 1)
    tops: Tops = {}
    top = 1.0
    for number in order:
        tops[number] = top
        top -= scale * int(seg.sizes[number]) / len(seg.codes) + _SPACE
    return tops, scale


def _draw_boxes(axes: Axes, position: int, seg: Segmentation, order: Sequence[int], looks: Looks) -> None:
    tops, scale = _tops(seg, order)
    for number in order:
        share = int(seg.sizes[number]) / len(seg.codes)
        axes.add_patch(
            Rectangle(
                (position, tops[number] - scale * share), _BOX, scale * share, color=segment_colour(looks[number])
            )
        )
        if share >= _LABELLED:
            axes.text(
                position + _BOX + 0.015,
                tops[number] - scale * share / 2.0,
                f"{number}: {share:.0%}",
                va="center",
                fontsize=LABEL,
                color=INK,
            )


def _draw_bands(
    axes: Axes, position: int, one: Segmentation, other: Segmentation, orders: list[list[int]], looks: Looks
) -> None:
    flows = _flows(one, other)
    (left, left_scale), (right, right_scale) = _tops(one, orders[position - 1]), _tops(other, orders[position])
    for number in orders[position - 1]:
        for target in orders[position]:
            share = float(flows[number - 1, target - 1])
            if share <= 0.0:
                continue
            heights = left_scale * share, right_scale * share
            ribbon(
                axes,
                (position - 1 + _BOX, left[number]),
                (position, right[target]),
                heights,
                segment_colour(looks[target]),
            )
            left[number] -= heights[0]
            right[target] -= heights[1]


def _title(study: CountStudy, shown: Sequence[int]) -> str:
    """What the last step to the advised count does, or how firmly segments stay together."""
    before, count = study.advice.count - 1, study.advice.count
    if before not in shown or count not in shown or before < 1:
        return f"How segments split from {shown[0]} to {shown[-1]}"
    flows = _flows(study.segmentations[before], study.segmentations[count])
    kept = float(flows.max(axis=0).sum())
    parent = flows.argmax(axis=0)
    split = [int(number) + 1 for number in np.flatnonzero(np.bincount(parent, minlength=before) > 1)]
    if kept > 0.9 and len(split) == 1:
        stay = f"{kept:.0%} of {study.noun.many} stay with their own"
        return f"From {before} to {count}, segment {split[0]} splits and {stay}"
    return f"From {before} to {count}, {kept:.0%} of {study.noun.many} stay with most of their segment"
