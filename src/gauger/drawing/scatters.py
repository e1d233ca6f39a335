"""Segments over two features in original units, with their centres named."""

import math
from itertools import combinations

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patheffects import withStroke

from gauger.drawing.labels import push_apart
from gauger.drawing.style import INK, PAPER, dress, new_figure, segment_colour, segment_marker
from gauger.errors import SettingError, UnknownColumnError, plural
from gauger.segmentation import UNASSIGNED, Segmentation

MOST_POINTS = 20_000


def scatter(seg: Segmentation, x: str | None = None, y: str | None = None) -> Figure:
    """Customers as points over features `x` and `y`, by default the two that tell the segments apart best.

    At most 20,000 points are drawn, and the frame leaves out extreme values; a note below says how many. Raises
    UnknownColumnError for a feature that the segmentation does not have, SettingError with only one feature.
    """
    table = seg.features.original
    across, up = _chosen(seg, x, y)
    shown = _sample(len(table))
    points = table.iloc[shown]
    inside = _frame(table[across]), _frame(table[up])
    figure = new_figure(_title(seg, across, up), _note(table, (across, up), inside, len(shown)))
    axes = figure.subplots()
    for number in (UNASSIGNED, *seg.numbers):
        own = points[seg.codes[shown] == number]
        if not own.empty:
            axes.scatter(
                own[across],
                own[up],
                s=26,
                alpha=0.6,
                color=segment_colour(number),
                marker=segment_marker(number),
                linewidths=0.0 if number else 0.8,
            )
    dress(axes, x=across, y=up)
    axes.set_xlim(*inside[0])
    axes.set_ylim(*inside[1])
    _name_centres(axes, seg, across, up)
    return figure


def share_placed(seg: Segmentation, x: str, y: str) -> float:
    """The share of assigned customers whose nearest centre is their own when only two features are looked at.

    Measured on the working scale, on the customers that a figure draws.
    """
    columns = [seg.features.names.index(name) for name in (x, y)]
    rows = _sample(len(seg.codes))
    rows = rows[seg.codes[rows] != UNASSIGNED]
    gaps = seg.features.values[rows][:, None, columns] - seg.scaled_centres[:, columns]
    nearest = (gaps**2).sum(axis=2).argmin(axis=1) + 1
    return float((nearest == seg.codes[rows]).mean())


def _chosen(seg: Segmentation, x: str | None, y: str | None) -> tuple[str, str]:
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


def _sample(customers: int) -> np.ndarray:
    if customers <= MOST_POINTS:
        return np.arange(customers)
    return np.sort(np.random.default_rng(0).choice(customers, size=MOST_POINTS, replace=False))


def _frame(values: pd.Series) -> tuple[float, float]:
    """Limits around all values, or around their middle 99 % when the rest would stretch the frame to double."""
    values = values.dropna()
    inner_low, inner_high = (float(limit) for limit in np.quantile(values, (0.005, 0.995)))
    span = max(inner_high - inner_low, 1e-9)
    inside = values[values.between(inner_low - 0.5 * span, inner_high + 0.5 * span)].to_numpy()
    low, high = float(inside.min()), float(inside.max())
    margin = 0.05 * (high - low or 1.0)
    return low - margin, high + margin


def _note(
    table: pd.DataFrame, names: tuple[str, str], frames: tuple[tuple[float, float], tuple[float, float]], shown: int
) -> str:
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


def _title(seg: Segmentation, across: str, up: str) -> str:
    if seg.count < 2:
        return f"All {len(seg.codes):,} customers in one segment"
    names = f"{across} and {up}".replace("_", " ")
    percent = math.floor(100.0 * share_placed(seg, across, up))  # 100 % is said only of everyone
    return f"{names.capitalize()} alone place {percent}% of customers in their segment"


def _name_centres(axes: Axes, seg: Segmentation, across: str, up: str) -> None:
    halo = [withStroke(linewidth=4, foreground=PAPER)]
    labels = []
    for number in seg.numbers:
        at = (float(seg.centres.loc[number, across]), float(seg.centres.loc[number, up]))
        colour, marker = segment_colour(number), segment_marker(number)
        axes.scatter(*at, s=150, color=colour, marker=marker, edgecolor=INK, linewidth=1.6, zorder=4)
        labels.append(
            axes.text(
                *at,
                f"   {seg.names[number]} ({seg.sizes[number]:,})",
                fontsize=12,
                fontweight="bold",
                color=INK,
                va="center",
                path_effects=halo,
                zorder=5,
            )
        )
    push_apart(axes, labels)
