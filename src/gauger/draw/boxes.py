"""Distributions by segment: boxes or violins, one panel a measure, in original units."""

from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from numpy.typing import NDArray
from pandas.api import types

from gauger.appearance import FAINT, INK, PAPER, segment_colour
from gauger.columns import AnyTable
from gauger.draw.curves import Curve, curve_of, even_steps, follow, span_back, span_on
from gauger.draw.labels import short_name
from gauger.draw.panels import most_panels, panels_for, rows_of
from gauger.draw.planes import MOST_NAMED
from gauger.draw.style import dress, new_figure
from gauger.errors import ColumnValuesError, SettingError, UnknownColumnError
from gauger.profiling import matched_table, sample_of
from gauger.segmentation import Segmentation

KINDS = ("box", "violin")

_WHISKERS = (0.05, 0.25, 0.5, 0.75, 0.95)
"""Quantiles of a box: whiskers, quartiles, median."""

_BEYOND = 0.8
"""How far a panel goes beyond the widest box, in its widths: by eye."""

_SMOOTHED, _STEPS = 2_000, 120
"""Customers that a violin is smoothed from, and the points of its outline."""

Values = NDArray[np.float64]


def segment_boxes(
    seg: Segmentation,
    measures: Sequence[str] | None = None,
    *,
    table: AnyTable | None = None,
    kind: str = "box",
) -> Figure:
    """Draw how each segment's customers are distributed in each measure.

    A box holds the middle half, its line is the median, and whiskers reach from the lowest to the highest twentieth; a
    violin is as high as there are customers, over the same range. A note says what is not drawn.

    Parameters
    ----------
    seg : Segmentation
        The segments.
    measures : sequence of str, optional
        Features, or columns of `table`; by default the features that tell segments apart best, at most 16 (twelve
        of more than 5 segments, eight of more than 8, four of more than 14).
    table : pandas.DataFrame or another table, optional
        Matched by key.
    kind : {"box", "violin"}
        A violin shows peaks too.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    UnknownColumnError
        For a measure that is neither.
    ColumnValuesError
        For one that holds no numbers.
    SettingError
        When nobody is in a segment, for more measures than that and for another kind.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> seg = gauger.segment_by_kmeans(features, 3)
    >>> gauger.draw.segment_boxes(seg).get_suptitle()
    'visits tells most apart: in 3 of 3 pairs of segments the middle halves do not overlap'
    """
    seg = seg.sample
    if kind not in KINDS:
        raise SettingError.not_one_of("kind", kind, KINDS)
    if not seg.count:
        raise SettingError("nobody is in a segment: there is nothing to draw.")
    columns = _columns(seg, measures, table)
    left_out = 0 if measures is not None else len(seg.features.names) - len(columns)
    notes = [f"{_NOTES[kind]} Both are cut where a panel ends."]
    if left_out:
        notes.append(f"{left_out} more features tell segments apart less.")
    if seg.count > MOST_NAMED:
        notes.append(f"The {MOST_NAMED} largest of {seg.count:,} segments are drawn.")
    figure = new_figure(
        _title(seg, columns),
        " ".join(notes),
        form="A panel a measure, in it a mark a segment: where the middle half of it and nine in ten of it are.",
    )
    for (axes, first), measure in zip(panels_for(figure, rows_of(len(columns))), columns.items(), strict=True):
        _panel(axes, seg, measure, kind, named=first)
    return figure


_NOTES = {
    "box": "Box: the middle half of a segment, with the median. Line: nine in ten.",
    "violin": "Height: how many of a segment are there, over nine in ten of it. White: the median.",
}


def _columns(seg: Segmentation, measures: Sequence[str] | None, table: AnyTable | None) -> dict[str, Values]:
    """The measures to draw, values in the order of the customers, gaps as NaN."""
    known = seg.features.original
    most = most_panels(min(seg.count, MOST_NAMED))
    if measures is None:
        order = np.argsort(-seg.explained_by_feature.to_numpy(), kind="stable")[:most]
        measures = [seg.features.names[position] for position in sorted(order)]
    if not 0 < len(measures) <= most:
        raise SettingError(
            f"{len(measures)} measures of {seg.count} segments cannot be drawn in one figure: name one to {most}."
        )
    if table is not None:
        others, _ = matched_table(known.index, table, seg.features.key)
        known = known.join(others.drop(columns=[name for name in others.columns if name in known.columns]))
    if not set(measures) <= set(known.columns):
        raise UnknownColumnError.among(measures, list(known.columns))
    for name in measures:
        if not types.is_numeric_dtype(known[name]):
            raise ColumnValuesError(f"{name!r} holds no numbers: draw it with category_shares.")
    return {name: known[name].to_numpy(dtype=np.float64, na_value=np.nan) for name in measures}


def _panel(axes: Axes, seg: Segmentation, measure: tuple[str, Values], kind: str, *, named: bool) -> None:
    name, values = measure
    curve = curve_of(seg.features, name)
    halves, ends = [], []
    for position, number in enumerate(seg.numbers[:MOST_NAMED].tolist()):
        own = values[seg.codes == number]
        own = own[np.isfinite(own)]
        if not own.size:
            continue
        marks = np.quantile(own, _WHISKERS)
        halves += [marks[1], marks[3]]
        ends += [marks[0], marks[-1]]
        if kind == "violin" and marks[0] < marks[-1]:
            _violin(axes, position, own, marks, number, curve)
        else:
            _box(axes, position, marks, number)
    dress(axes, title=name)
    axes.grid(visible=False, axis="y")
    count = min(seg.count, MOST_NAMED)
    axes.set_yticks(range(count), [short_name(seg.names[number]) if named else "" for number in seg.numbers[:count]])
    axes.tick_params(axis="y", length=0)
    axes.set_ylim(count - 0.4, -0.6)
    if ends:
        axes.axvline(float(np.median(values[np.isfinite(values)])), color=FAINT, linewidth=3.0, zorder=0)
        low, high = span_on(curve, (min(halves), max(halves)))
        least, most = span_on(curve, (min(ends), max(ends)))
        beyond = _BEYOND * (high - low) or (most - least) or 1.0
        shown = max(least, low - beyond) - 0.05 * beyond, min(most, high + beyond) + 0.05 * beyond
        follow(axes, "x", curve, span_back(curve, shown))
        axes.set_xlim(*span_back(curve, shown))


def _box(axes: Axes, position: int, marks: Values, number: int) -> None:
    names = ("whislo", "q1", "med", "q3", "whishi")
    colour = segment_colour(number)
    axes.bxp(
        [dict(zip(names, marks.tolist(), strict=True))],
        positions=[position],
        widths=0.62,
        orientation="horizontal",
        showfliers=False,
        patch_artist=True,
        manage_ticks=False,
        boxprops={"facecolor": colour, "edgecolor": INK, "alpha": 0.75},
        medianprops={"color": INK, "linewidth": 2.4},
        whiskerprops={"color": INK},
        capprops={"color": INK},
    )


def _violin(axes: Axes, position: int, own: Values, marks: Values, number: int, curve: Curve | None) -> None:
    along = even_steps(curve, (float(marks[0]), float(marks[-1])), _STEPS)
    sampled = own[sample_of(len(own), _SMOOTHED)]
    there, steps = (sampled, along) if curve is None else (curve.forward(sampled), curve.forward(along))
    from scipy.stats import gaussian_kde  # half a second that only these curves cost

    heights = gaussian_kde(there)(steps)
    heights *= 0.42 / heights.max()
    axes.fill_between(
        along,
        position - heights,
        position + heights,
        color=segment_colour(number),
        alpha=0.75,
        linewidth=0.8,
        edgecolor=INK,
    )
    axes.plot([marks[2]], [position], marker="o", markersize=6, color=PAPER, markeredgecolor=INK, linestyle="none")


def _title(seg: Segmentation, columns: dict[str, Values]) -> str:
    """The measure and the two segments whose middle halves are farthest from touching, or that all of them touch."""
    if seg.count < 2:
        return f"One segment, and how its {seg.noun.many} are distributed"
    apart = {name: _apart(seg, values) for name, values in columns.items()}
    best = max(apart, key=lambda name: apart[name])
    pairs = seg.count * (seg.count - 1) // 2
    if not apart[best]:
        return "The middle halves of all segments overlap in every measure"
    return f"{best} tells most apart: in {apart[best]} of {pairs} pairs of segments the middle halves do not overlap"


def _apart(seg: Segmentation, values: Values) -> int:
    """How many pairs of segments have middle halves that do not touch."""
    halves = []
    for number in seg.numbers.tolist():
        own = values[(seg.codes == number) & np.isfinite(values)]
        if own.size:
            halves.append(np.quantile(own, (0.25, 0.75)))
    lows, highs = np.array(halves).reshape(-1, 2).T
    return int((highs[:, None] < lows).sum())
