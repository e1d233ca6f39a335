"""The dendrogram: who is joined with whom at what height, upright or lying, so that its labels can be read."""

from collections.abc import Mapping, Sequence
from functools import cache
from itertools import pairwise
from typing import Literal

from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg, RendererAgg
from matplotlib.collections import LineCollection, PolyCollection
from matplotlib.figure import Figure
from matplotlib.font_manager import FontProperties
from matplotlib.patches import Rectangle
from matplotlib.ticker import FuncFormatter

from gauger.appearance import ACCENT, INK, PAPER, QUIET, segment_colour
from gauger.clustering import MergeTree
from gauger.draw.figure_typeface import AXIS, LABEL
from gauger.draw.style import dress, new_figure
from gauger.draw.tree_view import Cut, TreeView, view_of
from gauger.errors import SettingError
from gauger.features import HIGH_CORRELATION
from gauger.segmentation import Segmentation
from gauger.wording import listed, plural, short_number

Layout = Literal["upright", "lying"]

_ROOM_ACROSS, _ROOM_DOWN = 1130.0, 650.0
"""Pixels that leaves can take, across and down."""

_LONGEST = 300.0
"""Pixels of the longest name before it is cut."""

_SIZES = (11, 10, 9, 8, 7)
"""Font sizes for names, from the largest."""

_SMALLEST_ACROSS = 9
"""The smallest font for names side by side; smaller ones lie."""

_HALF = 0.46
"""Half the width of the widest wedge, in leaves: by eye."""


def dendrogram(
    tree: MergeTree,
    *,
    count: int | None = None,
    height: float | None = None,
    also: int | None = None,
    layout: Layout | None = None,
    segments: Segmentation | None = None,
) -> Figure:
    """Draw a tree with its branches in the colours of the segments that a cut leaves, grey above the cut.

    Up to 60 leaves are drawn with their names, upright where they fit side by side, else lying. Of larger trees the top
    is drawn: each collapsed branch is a wedge with its number of customers, and a note says so.

    Parameters
    ----------
    tree : MergeTree
        The tree.
    count : int, optional
        How many segments to cut into.
    height : float, optional
        Or at which height to cut, as `tree.cut`.
    also : int, optional
        A second count whose cut is drawn too.
    layout : {"upright", "lying"}, optional
        Fixes one.
    segments : Segmentation, optional
        The segments of a cut with the numbers and names that they shall bear, in place of `count` and `height`.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        For a cut that the tree does not have.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> tree = gauger.build_tree(features)
    >>> gauger.draw.dendrogram(tree, count=3).get_suptitle()
    "3 segments of 12 customers by Ward's linkage, the largest with 33% of them"
    """
    if layout not in (None, "upright", "lying"):
        raise SettingError.not_one_of("layout", layout, ("upright", "lying"))
    if segments is not None:
        count, height = segments.count, None
    view = view_of(tree, count=count, height=height, codes=None if segments is None else segments.codes)
    second = view_of(tree, count=also).cut if also is not None else None
    upright, size, angle = _layout(view, layout)
    figure = new_figure(
        _title(tree, view),
        _note(tree, view),
        form=f"A tree: the {tree.noun.many} below are joined two by two, the higher the less alike they are.",
    )
    axes = figure.subplots()
    draw_tree(axes, view, upright=upright)
    name_leaves(axes, view, upright=upright, size=size, angle=angle)
    height_axis(axes, tree, upright=upright)
    if view.cut is not None:
        _draw_cut(axes, view, view.cut, tree, upright=upright)
        if view.cut.spans:
            _name_segments(axes, view.cut, tree, {} if segments is None else segments.names, upright=upright)
    if second is not None:
        _draw_cut(axes, view, second, tree, upright=upright)
    return figure


def draw_tree(axes: Axes, view: TreeView, *, upright: bool) -> None:
    """Links as lines, collapsed branches as wedges, and the boxes of the segments behind them."""
    lines, colours = [], []
    for link in view.links:
        (one, other), (low, high), top = link.places, link.heights, link.height
        lines.append(_turned([(one, low), (one, top), (other, top), (other, high)], upright))
        colours.append(_colour(link.segment, view))
        for position, foot, own in zip(link.places, link.heights, link.segments, strict=True):
            if view.cut is not None and own and not link.segment:
                lines.append(_turned([(position, foot), (position, min(view.cut.height, top))], upright))
                colours.append(segment_colour(own))
    axes.add_collection(LineCollection(lines, colors=colours, linewidths=1.6, capstyle="round", zorder=3))
    wedges = [branch for branch in view.branches if branch.collapsed]
    most = max((branch.size for branch in wedges), default=1)
    shapes = []
    for branch in wedges:
        half = max(0.12, _HALF * (branch.size / most) ** 0.5)
        corners = [(branch.place - half, 0.0), (branch.place + half, 0.0), (branch.place, branch.height)]
        shapes.append(_turned(corners, upright))
    fills = [_colour(branch.segment, view) for branch in wedges]
    axes.add_collection(PolyCollection(shapes, facecolors=fills, linewidths=0.0, zorder=4))
    top = max(link.height for link in view.links)
    if view.cut is not None:
        for number, (first, last) in view.cut.spans.items():
            corner, width = (first - 0.5, 0.0), last - first + 1.0
            sides = (width, view.cut.height) if upright else (view.cut.height, width)
            box = Rectangle(corner if upright else corner[::-1], *sides, color=segment_colour(number), alpha=0.10)
            axes.add_patch(box)
    ends = -0.6, len(view.branches) - 0.4
    heights = 0.0, top * 1.04 or 1.0
    axes.set_xlim(*(ends if upright else heights))
    axes.set_ylim(*(heights if upright else ends[::-1]))


def name_leaves(axes: Axes, view: TreeView, *, upright: bool, size: int, angle: int) -> None:
    """The names of leaves, and the sizes of wedges, along the axis."""
    positions = [branch.place for branch in view.branches]
    labels = [_shortened(branch.name, size) for branch in view.branches]
    dress(axes)
    axes.grid(visible=False, axis="x" if upright else "y")
    if upright:
        ha = "right" if angle else "center"
        axes.set_xticks(positions, labels, rotation=angle, ha=ha, rotation_mode="anchor" if angle else None)
        if angle == 90:
            for label in axes.get_xticklabels():
                label.set_verticalalignment("center")
    else:
        axes.set_yticks(positions, labels)
    along: Literal["x", "y"] = "x" if upright else "y"
    axes.tick_params(axis=along, length=0, labelsize=size, labelcolor=INK)


def height_axis(axes: Axes, tree: MergeTree, *, upright: bool) -> None:
    """Say what heights measure: the metric's units, or for features how alike they are, in percent."""
    words, axis = tree.height_words, axes.yaxis if upright else axes.xaxis
    if tree.of == "features":
        words = f"similarity in percent ({'r' if tree.metric == 'correlation' else '|r|'})"
        axis.set_major_formatter(FuncFormatter(lambda height, _: f"{100.0 * (1.0 - height):.0f} %"))
    elif tree.metric != "given":
        words += " on the working scale" if tree.metric != "gower" else " (0 to 1)"
    axis.set_label_text(words, fontsize=AXIS, color=INK)


def _draw_cut(axes: Axes, view: TreeView, cut: Cut, tree: MergeTree, *, upright: bool) -> None:
    """A line across, and beside it in the widest gap between the branches it cuts what it gives."""
    main = cut is view.cut
    colour = ACCENT if main else QUIET
    line = axes.axhline if upright else axes.axvline
    line(cut.height, color=colour, linewidth=1.4 if main else 1.1, linestyle=(0, (5, 3)), zorder=5)
    stems = [
        position
        for link in view.links
        for position, foot in zip(link.places, link.heights, strict=True)
        if foot <= cut.height < link.height
    ]
    edges = sorted([-0.6, *stems, len(view.branches) - 0.4])
    position = max(pairwise(edges), key=lambda gap: gap[1] - gap[0])
    word = plural(cut.count, "segment" if tree.of == "customers" else "group")
    at = f"{100.0 * (1.0 - cut.height):.0f} %" if tree.of == "features" else short_number(cut.height)
    axes.annotate(
        f"{'cut' if main else 'also'} at {at}: {cut.count} {word}",
        _turned([(sum(position) / 2.0, cut.height)], upright)[0],
        xytext=(0, 4) if upright else (5, 0),
        textcoords="offset points",
        ha="center" if upright else "left",
        va="bottom" if upright else "center",
        fontsize=LABEL,
        fontweight="bold" if main else "normal",
        color=colour,
        bbox={"facecolor": PAPER, "edgecolor": "none", "alpha": 0.8, "pad": 1.0},
        zorder=6,
    )


def _name_segments(axes: Axes, cut: Cut, tree: MergeTree, names: Mapping[int, str], *, upright: bool) -> None:
    """A bar along each segment on the side away from the leaves, with its name where there is room for it."""
    step = (_ROOM_ACROSS if upright else _ROOM_DOWN) / (max(last for _, last in cut.spans.values()) + 1.2)
    word = "segment" if tree.of == "customers" else "group"
    across = axes.get_xaxis_transform() if upright else axes.get_yaxis_transform()
    narrowest = step * min(last - first + 1.0 for first, last in cut.spans.values())
    size = 10 if upright else next((size for size in _SIZES[1:] if 1.7 * size <= narrowest), _SIZES[-1])
    for number, (first, last) in cut.spans.items():
        ends, edge = [first - 0.42, last + 0.42], [1.0, 1.0]
        bar = (ends, edge) if upright else (edge, ends)
        axes.plot(*bar, transform=across, color=segment_colour(number), linewidth=5.0, clip_on=False, zorder=7)
        many = f" ({cut.sizes[number]:,})"
        texts = [names.get(number, f"{word} {number}") + many, names.get(number, f"{word} {number}"), str(number)]
        room = step * (last - first + 1.0) - 4.0
        text = next((text for text in texts if not upright or _width(text, 10, bold=True) <= room), str(number))
        middle = (first + last) / 2.0
        axes.text(
            *((middle, 1.015) if upright else (1.01, middle)),
            text,
            transform=across,
            ha="center" if upright else "left",
            va="bottom" if upright else "center",
            fontsize=size,
            fontweight="bold",
            color=INK,
        )


def _layout(view: TreeView, asked: Layout | None) -> tuple[bool, int, int]:
    """Upright or not, the font size and the angle of leaf names, the largest that fit as measured."""
    names = [branch.name for branch in view.branches]
    across, down = _ROOM_ACROSS / len(names), _ROOM_DOWN / len(names)
    flat = next((size for size in _SIZES if _widest(names, size) + 8.0 <= across), None)
    if asked != "lying" and flat is not None and (flat >= _SMALLEST_ACROSS or asked == "upright"):
        return True, flat, 0
    if asked == "upright":
        slanted = [(size, 45) for size in _SIZES[:3] if 1.9 * size * 1.3 <= across and _widest(names, size) <= 160.0]
        steep = [(size, 90) for size in _SIZES if 1.6 * size <= across] or [(_SIZES[-1], 90)]
        return True, *(slanted or steep)[0]
    return False, next((size for size in _SIZES if 1.6 * size <= down), _SIZES[-1]), 0


def _widest(names: Sequence[str], size: int) -> float:
    return max(_width(name, size) for name in names)


def _width(text: str, size: int, *, bold: bool = False) -> float:
    """How wide a text is in pixels, as drawn."""
    font = FontProperties(size=size, weight="bold" if bold else "normal")
    width, *_ = _measurer().get_text_width_height_descent(text, font, ismath=False)  # type: ignore[no-untyped-call]
    return float(width)


@cache
def _measurer() -> RendererAgg:
    canvas = FigureCanvasAgg(Figure(dpi=100))
    return canvas.get_renderer()  # type: ignore[no-untyped-call, no-any-return]


def _shortened(name: str, size: int) -> str:
    """A name of at most 300 pixels."""
    if _width(name, size) <= _LONGEST:
        return name
    kept = len(name)
    while kept > 1 and _width(name[:kept] + "…", size) > _LONGEST:
        kept -= 1
    return name[:kept] + "…"


def _turned(points: list[tuple[float, float]], upright: bool) -> list[tuple[float, float]]:
    return points if upright else [(height, position) for position, height in points]


def _colour(segment: int, view: TreeView) -> str:
    if segment:
        return segment_colour(segment)
    return INK if view.cut is None else QUIET


def _title(tree: MergeTree, view: TreeView) -> str:
    if tree.of == "features":
        return what_repeats(tree)
    what = tree.noun.counted(len(tree.leaf_of))
    if view.cut is None:
        last = float(tree.merges["height"].to_numpy()[-1])
        return f"{what} by {tree.linkage_words}: all are one at {short_number(last)}"
    count = view.cut.count
    share = f", the largest with {view.cut.sizes[1] / len(tree.leaf_of):.0%} of them" if count > 1 else ""
    return f"{count} {plural(count, 'segment')} of {what} by {tree.linkage_words}{share}"


def what_repeats(tree: MergeTree) -> str:
    """The finding of a tree of features: those that say the same."""
    close = tree.groups(count=tree.count_at(1.0 - HIGH_CORRELATION))
    groups = [close.index[close == number].tolist() for number in close.unique() if (close == number).sum() > 1]
    nearest = 1.0 - float(tree.steps.height[0])
    sign = "r" if tree.metric == "correlation" else "|r|"
    if nearest < HIGH_CORRELATION:
        pair = [str(tree.leaf_names[leaf]) for leaf in (tree.steps.left[0], tree.steps.right[0])]
        return f"No two features say the same; closest are {' and '.join(pair)} ({sign} = {nearest:.2f})"
    named = [listed(map(str, group), most=4) for group in groups]
    return f"Nearly the same: {'; '.join(named)} ({sign} up to {nearest:.2f})"


def _note(tree: MergeTree, view: TreeView) -> str:
    parts = []
    if view.collapsed:
        joined = tree.noun.many if tree.of == "customers" else tree.of
        parts.append(
            f"The top of the tree: {len(view.branches)} branches of {len(tree.leaf_of):,} {joined}. A wedge is a "
            f"branch that goes on below: its tip is its last merge, the number below it counts its {joined}."
        )
    if view.cut is not None and len(view.cut.spans) < view.cut.count:
        parts.append(f"{view.cut.count - len(view.cut.spans):,} segments are inside wedges and cannot be told apart.")
    if len(tree.inversions):
        parts.append("Some merges lie below the branches they join (inversions).")
    return " ".join(parts)
