"""Segments over two features in original units, with their centres named."""

import math
from collections.abc import Sequence
from itertools import combinations

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patheffects import withStroke
from matplotlib.text import Text
from numpy.typing import NDArray

from gauger.drawing.labels import push_apart
from gauger.drawing.outlines import OUTLINES, draw_outline
from gauger.drawing.style import INK, PAPER, dress, new_figure, segment_colour, segment_marker
from gauger.errors import SettingError, UnknownColumnError, listed, plural
from gauger.profiling.closeness import lies_around_centres, sample_of, share_placed
from gauger.segmentation import UNASSIGNED, Segmentation

MOST_NAMED = 20

_RIGHT_SIDE = 0.98
_MOST_LABELS = 12

Rows = NDArray[np.intp]
Span = tuple[float, float]


def scatter(
    seg: Segmentation,
    x: str | None = None,
    y: str | None = None,
    *,
    outline: str | None = None,
    label: Sequence[object] = (),
) -> Figure:
    """Customers as points over features `x` and `y`, by default the two that tell the segments apart best.

    The unassigned are small grey crosses. `outline` draws around each segment a "hull" (of all its customers) or an
    "ellipse" (that 90 % would be in, were it a normal cloud). `label` are the keys of up to twelve customers to name.
    Segments that do not lie around their centres, such as rings and bands, are named on their right side.

    At most 20,000 points are drawn and 20 segments named, and the frame leaves out extreme values; a note below says
    so. Raises UnknownColumnError for a feature that the segmentation does not have, SettingError with only one feature,
    for an unknown outline, and for a key that is none.
    """
    across, up = chosen_axes(seg, x, y)
    named = _places_of(seg, label)
    if outline is not None and outline not in OUTLINES:
        raise SettingError.not_one_of("outline", outline, OUTLINES)
    table = seg.features.original
    shown = sample_of(len(table))
    inside = frame_of(table[across]), frame_of(table[up])
    notes = note_on(table, (across, up), inside, len(shown)), note_on_names(seg)
    figure = new_figure(_title(seg, across, up), " ".join(filter(None, notes)))
    axes = figure.subplots()
    draw_customers(axes, seg, (across, up), np.union1d(shown, named))
    if outline is not None:
        for number in seg.numbers[:MOST_NAMED]:
            draw_outline(axes, table[[across, up]].to_numpy()[seg.codes == number], outline, segment_colour(number))
    dress(axes, x=across, y=up)
    frame(axes, (across, up), inside)
    labels = name_segments(axes, seg, across, up)
    for place in named.tolist():
        at = float(table[across].iloc[place]), float(table[up].iloc[place])
        axes.scatter(at[0], at[1], s=60, facecolor="none", edgecolor=INK, linewidth=1.4, zorder=4)
        labels.append(_label(axes, at, f"  {seg.features.keys[place]}", size=10))
    push_apart(axes, labels)
    return figure


def draw_customers(
    axes: Axes, seg: Segmentation, names: tuple[str, str], rows: Rows, numbers: Sequence[int] = ()
) -> None:
    """Some customers as points in the colours of their segments, or of `numbers`, one for each segment."""
    across, up = names
    points, codes = seg.features.original.iloc[rows], seg.codes[rows]
    for number in (UNASSIGNED, *seg.numbers):
        own = points[codes == number]
        look = numbers[number - 1] if numbers and number else number
        if not own.empty:
            axes.scatter(
                own[across],
                own[up],
                s=26 if number else 16,
                alpha=0.6 if number else 0.9,
                color=segment_colour(look),
                marker=segment_marker(look),
                linewidths=0.0 if number else 0.8,
            )


def name_segments(axes: Axes, seg: Segmentation, across: str, up: str, numbers: Sequence[int] = ()) -> list[Text]:
    """Each segment's name and size at its centre, or on its right side where segments do not lie around centres.

    Of more than 20 segments the largest are named.
    """
    around = lies_around_centres(seg)
    labels = []
    for number in seg.numbers[:MOST_NAMED]:
        look = numbers[number - 1] if numbers else number
        at = (float(seg.centres.loc[number, across]), float(seg.centres.loc[number, up]))
        if not around:
            at = _right_side(seg.features.original.loc[seg.codes == number, [across, up]].dropna()) or at
        size = 150 if around else 70
        axes.scatter(
            *at, s=size, color=segment_colour(look), marker=segment_marker(look), edgecolor=INK, linewidth=1.6, zorder=4
        )
        labels.append(_label(axes, at, f"   {seg.names[number]} ({seg.sizes[number]:,})", size=12, weight="bold"))
    return labels


def _right_side(points: pd.DataFrame) -> tuple[float, float] | None:
    """The customer farthest to the right, the last 2 % left aside; None when nobody is there."""
    if points.empty:
        return None
    across, up = points.to_numpy().T
    place = np.argsort(across, kind="stable")[int(_RIGHT_SIDE * (len(across) - 1))]
    return float(across[place]), float(up[place])


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


def frame_of(values: pd.Series) -> Span:
    """Limits around all values, or around their middle 99 % when the rest would stretch the frame to double."""
    values = values.dropna()
    inner_low, inner_high = (float(limit) for limit in np.quantile(values, (0.005, 0.995)))
    span = max(inner_high - inner_low, 1e-9)
    inside = values[values.between(inner_low - 0.5 * span, inner_high + 0.5 * span)].to_numpy()
    low, high = float(inside.min()), float(inside.max())
    margin = 0.05 * (high - low or 1.0)
    return low - margin, high + margin


def frame(axes: Axes, names: tuple[str, str], inside: tuple[Span, Span]) -> None:
    """Limits for both axes; a map, of two features in km, has the same scale both ways."""
    axes.set_xlim(*inside[0])
    axes.set_ylim(*inside[1])
    if all(name.endswith("_km") for name in names):
        axes.set_aspect("equal", adjustable="box")


def note_on(table: pd.DataFrame, names: tuple[str, str], frames: tuple[Span, Span], shown: int) -> str:
    """What a figure of so many customers leaves out."""
    outside = np.zeros(len(table), dtype=bool)
    for name, (low, high) in zip(names, frames, strict=True):
        outside |= ((table[name] < low) | (table[name] > high)).to_numpy()
    beyond, lacking = int(outside.sum()), int(table[list(names)].isna().any(axis=1).sum())
    parts = []
    if shown < len(table):
        parts.append(f"{shown:,} of {len(table):,} customers are drawn.")
    if beyond:
        who = plural(beyond, "customer with extreme values lies", "customers with extreme values lie")
        parts.append(f"{beyond:,} {who} outside the frame.")
    if lacking:
        who = plural(lacking, "customer without a recorded value is", "customers without a recorded value are")
        parts.append(f"{lacking:,} {who} not drawn.")
    return " ".join(parts)


def note_on_names(seg: Segmentation) -> str:
    """What a figure says of segments that it does not name."""
    return f"The {MOST_NAMED} largest of {seg.count:,} segments are named." if seg.count > MOST_NAMED else ""


def _title(seg: Segmentation, across: str, up: str) -> str:
    everyone, outside = len(seg.codes), int(np.count_nonzero(seg.codes == UNASSIGNED))
    if not seg.count:
        return f"None of the {everyone:,} customers is in a segment"
    if seg.count < 2:
        rest = f", {outside:,} in none" if outside else ""
        return f"{'All ' if not outside else ''}{everyone - outside:,} customers in one segment{rest}"
    if not lies_around_centres(seg):
        rest = f", and {outside:,} {plural(outside, 'customer')} in none (grey crosses)" if outside else ""
        return f"{seg.count} segments in shapes of their own{rest}"
    names = f"{across} and {up}".replace("_", " ")
    percent = math.floor(100.0 * share_placed(seg, across, up))  # 100 % is said only of everyone
    return f"{names.capitalize()} alone place {percent}% of customers in their segment"


def _places_of(seg: Segmentation, keys: Sequence[object]) -> Rows:
    places = pd.Index(seg.features.keys).get_indexer(pd.Index(list(keys), dtype=object))
    strangers = [repr(key) for key, place in zip(keys, places, strict=True) if place < 0]
    if strangers:
        raise SettingError(f"there is no customer {listed(strangers, last='or')} to label.")
    if len(places) > _MOST_LABELS:
        raise SettingError(f"{len(places)} customers to label are more than a figure can hold: at most {_MOST_LABELS}.")
    return np.asarray(places)


def _label(axes: Axes, at: Span, text: str, *, size: int, weight: str = "normal") -> Text:
    halo = [withStroke(linewidth=4, foreground=PAPER)]
    look = {"fontsize": size, "fontweight": weight, "color": INK, "va": "center", "zorder": 5}
    return axes.text(at[0], at[1], text, path_effects=halo, **look)  # type: ignore[arg-type]
