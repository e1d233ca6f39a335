"""The hierarchy of density levels: which groups come apart as the distance shrinks, and where each dissolves."""

from dataclasses import dataclass

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle
from matplotlib.ticker import FuncFormatter, LogLocator, NullFormatter

from gauger.appearance import INK, QUIET, segment_colour
from gauger.draw.figure_typeface import AXIS, LABEL
from gauger.draw.labels import short_name
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError
from gauger.segmentation import UNASSIGNED, Segmentation
from gauger.wording import plural

_MOST_ROWS = 24
"""Groups that find room, the largest of them."""

_THICKEST, _THINNEST = 0.86, 0.03
"""How thick the bar of everyone is, and the least bar that is seen, as shares of a row."""

_BEYOND = 1.15
"""How far beyond the largest distance the axis goes."""


@dataclass(frozen=True)
class _Group:
    """A branch: where it comes apart and dissolves, how many it had then, the segment whose colour it bears, its own
    number if it is one, and its place in the hierarchy."""

    born: float
    ends: float
    customers: int
    last: int
    home: int
    segment: int
    parent: int
    parts: tuple[int, ...]


def density_levels(seg: Segmentation) -> Figure:
    """Draw a row for each group: from the distance at which it comes apart to the one where it parts or dissolves.

    A row is as thick as its group has customers; strong are those who are still in it at its end, pale those who leave
    on the way, counted beside it. Of more than 24 groups the largest are drawn.

    Parameters
    ----------
    seg : Segmentation
        Made by density levels.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        For a segmentation that was not made by density levels.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> visits = [1, 2, 3, 4, 5, 101, 103, 105, 107, 109, 400]
    >>> features = gauger.prepare(pd.DataFrame({"who": range(11), "visits": visits}), key="who", scale="none")
    >>> seg = gauger.segment_by_density_levels(features, 3)
    >>> gauger.draw.density_levels(seg).get_suptitle()
    '2 segments come apart as the distance shrinks; 1 customer leaves before'
    """
    seg = seg.sample
    if seg.branches is None or seg.departures is None:
        raise SettingError("only segment_by_density_levels gives a hierarchy to draw.")
    groups = _groups(seg)
    shown = _in_order(groups)
    note = f"Strong: {seg.noun.many} still there at the end. Pale: those who leave on the way. Grey: no segment yet."
    if fewer := len(groups) - len(shown):
        note += f" {fewer} smaller {plural(fewer, 'group is', 'groups are')} not drawn."
    figure = new_figure(
        _title(seg),
        note,
        form=(
            f"A row for each group of {seg.noun.many}, from the distance at which it comes apart to the one where it "
            "parts or dissolves, as thick as it has members."
        ),
    )
    axes = figure.subplots()
    dress(axes, x="distance, shrinking from left to right (working scale)")
    axes.grid(visible=False, axis="y")
    axes.spines["left"].set_visible(False)
    highest = max(group.ends for group in groups) * _BEYOND
    everyone = len(seg.codes)
    rows = {index: row for row, index in enumerate(shown)}
    for index, row in rows.items():
        _draw_group(axes, groups[index], row, everyone, highest)
        for part in groups[index].parts:
            if part in rows:
                axes.plot([groups[index].ends] * 2, [row, rows[part]], color=QUIET, linewidth=0.9, zorder=1)
    names = [_called(seg, groups[index]) for index in shown]
    axes.set_yticks(range(len(shown)), names)
    axes.tick_params(axis="y", length=0, labelsize=AXIS if len(shown) <= 14 else LABEL)
    axes.set_ylim(len(shown) - 0.4, -0.6)
    _set_distances(axes, highest, min(groups[index].ends for index in shown))
    return figure


def _groups(seg: Segmentation) -> list[_Group]:
    """Every branch, the whole of them first."""
    assert seg.branches is not None
    assert seg.departures is not None
    parents = seg.branches["parent"].fillna(-1).astype(int).tolist()
    born, held = seg.branches["born"].tolist(), seg.branches["customers"].tolist()
    segments = [int(number) for number in seg.branches["segment"]]
    groups: list[_Group] = []
    for branch, parent in enumerate(parents):
        parts = tuple(child for child, above in enumerate(parents) if above == branch)
        own = seg.departures.loc[seg.departures["branch"] == branch, "distance"].to_numpy()
        ends = float(born[parts[0]]) if parts else float(own.min(initial=np.inf))
        last = sum(held[part] for part in parts) if parts else int(np.count_nonzero(own == ends))
        home = segments[branch] or (groups[parent].home if parent >= 0 else UNASSIGNED)
        groups.append(_Group(float(born[branch]), ends, int(held[branch]), last, home, segments[branch], parent, parts))
    return groups


def _in_order(groups: list[_Group]) -> list[int]:
    """The groups that are drawn, each above its parts, the larger part first; never a part without its whole."""
    largest = sorted(range(len(groups)), key=lambda index: (-groups[index].customers, index))[:_MOST_ROWS]
    kept, order, waiting = set(largest), [], [0]
    while waiting:
        index = waiting.pop()
        if index in kept:
            order.append(index)
            waiting += sorted(groups[index].parts, key=lambda part: groups[part].customers)
    return order


def _draw_group(axes: Axes, group: _Group, row: int, everyone: int, highest: float) -> None:
    start = min(group.born, highest)
    colour = segment_colour(group.home)
    for customers, strength in ((group.customers, 0.35), (group.last, 0.95)):
        thick = max(_THICKEST * customers / everyone, _THINNEST)
        axes.add_patch(
            Rectangle(
                (start, row - thick / 2.0), group.ends - start, thick, color=colour, alpha=strength, linewidth=0.0
            )
        )
    gone = group.customers - group.last
    ending = "" if group.parts else ", then it dissolves"
    told = f"{gone:,} {plural(gone, 'leaves', 'leave')} on the way{ending}" if gone else ending.removeprefix(", ")
    if told:
        axes.annotate(
            told,
            (group.ends, row),
            xytext=(6, 0),
            textcoords="offset points",
            va="center",
            fontsize=LABEL,
            color=INK,
            annotation_clip=False,
        )


def _called(seg: Segmentation, group: _Group) -> str:
    if group.segment:
        return f"{short_name(seg.names[group.segment])} ({group.customers:,})"
    what = "everyone" if group.parent < 0 else "part of it" if group.home else "together"
    return f"{what} ({group.customers:,})"


def _set_distances(axes: Axes, highest: float, lowest: float) -> None:
    """A logarithmic axis that shrinks to the right, with a third of its width left for words."""
    lowest = max(lowest, highest * 1e-6)
    axes.set_xscale("log")
    axes.set_xlim(highest, lowest * (lowest / highest) ** 0.45)
    axes.xaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:g}"))
    axes.xaxis.set_major_locator(LogLocator(subs=(1.0, 2.0, 5.0)))
    axes.xaxis.set_minor_formatter(NullFormatter())


def _title(seg: Segmentation) -> str:
    if seg.count == 1:
        return f"The {seg.noun.many} never come apart: by density they are one segment"
    outside = int(np.count_nonzero(seg.codes == UNASSIGNED))
    rest = f"; {seg.noun.counted(outside)} {plural(outside, 'leaves', 'leave')} before" if outside else ""
    return f"{seg.count} segments come apart as the distance shrinks{rest}"
