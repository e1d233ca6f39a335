"""Who is where on the other side: a flow between two divisions of the same customers."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle
from matplotlib.text import Text

from gauger.appearance import INK, UNASSIGNED_COLOUR, segment_colour
from gauger.draw.figure_typeface import AXIS, PANEL
from gauger.draw.labels import push_apart, wrapped
from gauger.draw.planes import MOST_NAMED
from gauger.draw.ribbons import ribbon
from gauger.draw.style import new_figure
from gauger.monitoring import Migration
from gauger.profiling import Comparison
from gauger.segmentation import UNASSIGNED_NAME
from gauger.wording import Noun, percent, shortened

_BOX, _SPACE = 0.035, 0.016
"""The width of a box, and the space between two, of the figure's."""

_MATCHED, _OTHER = 0.28, 0.6
"""The opacity of bands that match, and of the others: by eye."""

_NAME_WIDTH, _TITLE_WIDTH = 32, 44
"""Letters of a line, of names and of titles."""

Label = object
Tops = dict[Label, float]


@dataclass(frozen=True, eq=False)
class _Sides:
    """What a flow is of: counts, what rows and columns are called, which row each column matches, and the titles."""

    table: pd.DataFrame
    ours: dict[Label, str]
    theirs: dict[Label, str]
    matches: dict[Label, Label]
    titles: tuple[str, str]
    noun: Noun


def flow(comparison: Comparison) -> Figure:
    """Draw how segments and the groups of the other side share customers, as bands from left to right.

    A group stands opposite the segment that it matches where it can. Pale bands join what matches, strong ones are the
    customers elsewhere. Of more than 20 segments or groups the largest are drawn; a note says so.

    Parameters
    ----------
    comparison : Comparison
        The comparison.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> table["household"] = ["alone"] * 5 + ["family"] * 7
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> seg = gauger.segment_by_kmeans(features, 3)
    >>> comparison = gauger.compare(seg, table.set_index("who")["household"])
    >>> gauger.draw.flow(comparison).get_suptitle()
    "household: Cramér's V 0.79 (95% interval 0.31 to 1.00), 12 customers with a value"
    """
    noun = comparison.noun
    names = {UNASSIGNED_NAME: UNASSIGNED_NAME}
    matched = {label: number for number, label in comparison.matched["other"].dropna().items()}
    sides = _Sides(
        comparison.crossing,
        names | dict(comparison.matched["name"].items()),
        names | {label: comparison.other.name_of(label) for label in comparison.other.labels},
        {UNASSIGNED_NAME: UNASSIGNED_NAME, **matched},
        (comparison.seg.method, comparison.other.title),
        noun,
    )
    if comparison.association is not None:
        return _draw(
            sides, f"{comparison.other.title}: {noun.said(comparison.association.headline())}", noun.said(_NOTE)
        )
    agree = f"{comparison.agreement:.0%} of {noun.many} are in groups that match"
    return _draw(sides, f"{agree}{_most(sides, '; most of the others: ')}", noun.said(_NOTE))


def migration_flow(migration: Migration) -> Figure:
    """Draw segments before on the left and after on the right, and bands as wide as the customers who went that way.

    Pale bands are those who stayed, strong ones those who moved. Of more than 20 segments the largest are drawn.

    Parameters
    ----------
    migration : Migration
        The migration.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> spring = pd.DataFrame({"who": list("abcd"), "segment": [1, 1, 2, 2]})
    >>> summer = pd.DataFrame({"who": list("abcd"), "segment": [1, 2, 2, 2]})
    >>> moves = gauger.migration(spring, summer, key="who")
    >>> gauger.draw.migration_flow(moves).get_suptitle()
    '25% of 4 customers moved, most of them segment 1 → segment 2 (1)'
    """
    names = dict(migration.names)
    sides = _Sides(
        migration.crossing, names, names, {label: label for label in names}, ("before", "after"), migration.noun
    )
    moved = f"{percent(migration.moved)} of {migration.noun.counted(len(migration.customers))} moved"
    note = (
        f"Pale: stayed. Strong: moved; by chance {percent(migration.chance)} would have. "
        f"{len(migration.only_second):,} {migration.noun.many} are new and {len(migration.only_first):,} lost: "
        "they are not drawn."
    )
    return _draw(sides, f"{moved}{_most(sides, ', most of them ')}", note)


_NOTE = "Pale: customers in groups that match. Strong: everyone else. Grey: matches none, or unassigned."


def _draw(sides: _Sides, title: str, note: str) -> Figure:
    table = sides.table
    left = _largest(table.sum(axis=1))
    right = _in_order(sides, _largest(table.sum(axis=0)), left)
    shown = table.loc[left, right]
    lost = int(table.to_numpy().sum()) - int(shown.to_numpy().sum())
    figure = new_figure(
        title,
        note + (f" {lost:,} {sides.noun.many} of smaller groups are left out." if lost else ""),
        form=(
            f"Two columns of boxes, as high as they have {sides.noun.many}, and ribbons between those that "
            "have some in common."
        ),
    )
    axes = figure.subplots()
    axes.set_axis_off()
    axes.set_xlim(-0.58, 1.58)
    axes.set_ylim(-0.03, 1.14)
    colours = {row: segment_colour(row) if isinstance(row, int) else UNASSIGNED_COLOUR for row in left}
    _draw_bands(axes, sides, shown, colours)
    opposite = {
        label: segment_colour(number) if isinstance(number, int) else UNASSIGNED_COLOUR
        for label, number in sides.matches.items()
    }
    for position, sizes, looks, called in (
        (0.0, shown.sum(axis=1), colours, sides.ours),
        (1.0, shown.sum(axis=0), opposite, sides.theirs),
    ):
        push_apart(axes, _draw_boxes(axes, position, sizes, looks, called))
    for position, name, side in ((0.0, sides.titles[0], "right"), (1.0, sides.titles[1], "left")):
        text = axes.text(position, 1.04, wrapped(name, _TITLE_WIDTH), ha=side, va="bottom", fontsize=PANEL, color=INK)
        text.set_fontweight("bold")
    return figure


def _largest(sizes: "pd.Series[int]") -> list[Label]:
    """The groups with customers: unassigned last, and of more than 20 the largest in their order."""
    held = sizes[sizes > 0]
    groups = [label for label in held.index if label != UNASSIGNED_NAME]
    kept = set(held[groups].sort_values(ascending=False, kind="stable").index[:MOST_NAMED])
    rest = [UNASSIGNED_NAME] if UNASSIGNED_NAME in held.index else []
    return [label for label in groups if label in kept] + rest


def _in_order(sides: _Sides, groups: Sequence[Label], left: Sequence[Label]) -> list[Label]:
    """Groups by where most of their customers come from, unassigned last."""
    positions = np.arange(len(left))
    shares = sides.table.loc[list(left), list(groups)]
    means = shares.mul(positions, axis=0).sum() / shares.sum().mask(lambda sums: sums == 0)
    middles = dict(zip(groups, means.tolist(), strict=True))
    position = {number: spot for spot, number in enumerate(left)}
    where = {label: position.get(sides.matches.get(label), middles[label]) for label in groups}
    return sorted(groups, key=lambda label: (label == UNASSIGNED_NAME, where[label]))


def _tops(sizes: "pd.Series[int]") -> tuple[Tops, float]:
    """Where each box begins, from 1 downwards, and how high one customer is."""
    scale = (1.0 - _SPACE * (len(sizes) - 1)) / max(int(sizes.sum()), 1)
    heights = scale * sizes.to_numpy() + _SPACE
    starts = 1.0 - np.concatenate([[0.0], np.cumsum(heights)[:-1]])
    return dict(zip(sizes.index, starts.tolist(), strict=True)), scale


def _draw_boxes(
    axes: Axes, position: float, sizes: "pd.Series[int]", colours: dict[Label, str], names: dict[Label, str]
) -> list[Text]:
    tops, scale = _tops(sizes)
    everyone = max(int(sizes.sum()), 1)
    labels = []
    for label, size in sizes.items():
        height = scale * size
        start = position - _BOX if position == 0.0 else position
        axes.add_patch(
            Rectangle((start, tops[label] - height), _BOX, height, color=colours.get(label, UNASSIGNED_COLOUR))
        )
        at, side = (start - 0.015, "right") if position == 0.0 else (start + _BOX + 0.015, "left")
        text = f"{wrapped(names[label], _NAME_WIDTH, 2)}: {size / everyone:.0%}"
        labels.append(axes.text(at, tops[label] - height / 2.0, text, ha=side, va="center", fontsize=AXIS, color=INK))
    return labels


def _draw_bands(axes: Axes, sides: _Sides, shown: pd.DataFrame, colours: dict[Label, str]) -> None:
    (left, left_scale), (right, right_scale) = _tops(shown.sum(axis=1)), _tops(shown.sum(axis=0))
    for row in shown.index:
        for column in shown.columns:
            customers = int(shown.loc[row, column])
            if not customers:
                continue
            heights = left_scale * customers, right_scale * customers
            strength = _MATCHED if sides.matches.get(column) == row else _OTHER
            ribbon(axes, (0.0, left[row]), (1.0, right[column]), heights, colours[row], alpha=strength)
            left[row] -= heights[0]
            right[column] -= heights[1]


def _most(sides: _Sides, lead: str) -> str:
    """The largest flow that does not match, in words; nothing where there is none."""
    elsewhere = sides.table.copy()
    for label, number in sides.matches.items():
        if number in elsewhere.index and label in elsewhere.columns:
            elsewhere.loc[number, label] = 0
    counts = elsewhere.to_numpy(dtype=np.int64)
    row, column = (int(at) for at in np.unravel_index(int(counts.argmax()), counts.shape))
    most = int(counts[row, column])
    if not most:
        return ""
    one, other = sides.ours[elsewhere.index[row]], sides.theirs[elsewhere.columns[column]]
    return f"{lead}{shortened(one, _TITLE_WIDTH)} → {shortened(other, _TITLE_WIDTH)} ({most:,})"
