"""The hierarchy of density levels: who stays together as the distance shrinks."""

import numpy as np
import pandas as pd
from matplotlib.figure import Figure
from matplotlib.patheffects import withStroke
from matplotlib.ticker import FuncFormatter, LogLocator, NullFormatter
from numpy.typing import NDArray

from gauger.draw.labels import push_apart
from gauger.draw.planes import MOST_NAMED
from gauger.draw.style import INK, PAPER, dress, new_figure, segment_colour
from gauger.errors import SettingError
from gauger.segmentation import UNASSIGNED, Segmentation
from gauger.wording import plural, short_number

_NOTE = "Grey: customers that still hang together and are no segment yet; those who leave there are in none."
_STEPS = 400
"""Points of a stream's outline."""

_BEYOND, _LOWEST = 1.15, 0.01
"""How far beyond the largest distance the axis goes, and the quantile it begins at."""

Values = NDArray[np.float64]


def density_levels(seg: Segmentation) -> Figure:
    """Draw branches of customers as streams that thin out as the distance shrinks, segments coloured.

    The 20 largest segments are named. A stream is as wide as the customers that still hang together; where it parts in
    two, each part had enough of them.

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
    if seg.branches is None or seg.departures is None:
        raise SettingError("only segment_by_density_levels gives a hierarchy to draw.")
    branches, departures = seg.branches, seg.departures
    figure = new_figure(_title(seg), _NOTE)
    axes = figure.subplots()
    dress(axes, x="distance, shrinking from left to right (working scale)", y="customers that still hang together")
    left = departures["distance"].to_numpy()
    highest, lowest = float(left.max()) * _BEYOND, float(np.quantile(left, _LOWEST))
    parents = branches["parent"].fillna(-1).astype(int).tolist()
    below = [[child for child, parent in enumerate(parents) if parent == branch] for branch in range(len(parents))]
    floors = _floors(branches["customers"].tolist(), below)
    held = _held(departures, parents)
    segments = branches["segment"].tolist()
    home, from_distance = list(segments), branches["born"].tolist()
    halo = [withStroke(linewidth=4, foreground=PAPER)]
    labels = []
    for branch, parent in enumerate(parents):
        home[branch] = home[branch] or (home[parent] if parent >= 0 else UNASSIGNED)
        born = min(from_distance[branch], highest)
        until = from_distance[below[branch][0]] if below[branch] else lowest
        steps = np.geomspace(born, min(until, born), _STEPS)
        still = np.searchsorted(held[branch], steps, side="right")
        middle = floors[branch] + len(held[branch]) / 2.0
        colour = segment_colour(home[branch])
        axes.fill_between(steps, middle - still / 2.0, middle + still / 2.0, color=colour, linewidth=0.0, alpha=0.85)
        if 0 < (number := segments[branch]) <= MOST_NAMED:
            text = f" {seg.names[number]} ({seg.sizes[number]:,})"
            look = {"fontsize": 12, "fontweight": "bold", "color": INK, "va": "center", "path_effects": halo}
            labels.append(axes.text(born, middle, text, **look))  # type: ignore[arg-type]
    axes.set_xscale("log")
    axes.set_xlim(highest, lowest)
    axes.set_ylim(-0.02 * len(left), 1.02 * len(left))
    axes.xaxis.set_major_formatter(FuncFormatter(lambda value, _: short_number(value)))
    axes.xaxis.set_major_locator(LogLocator(subs=(1.0, 2.0, 5.0)))
    axes.xaxis.set_minor_formatter(NullFormatter())
    push_apart(axes, labels)
    return figure


def _floors(customers: list[int], below: list[list[int]]) -> list[float]:
    """Where each branch stands: inside its parent, with what the parent lost as even gaps around its parts."""
    floors = [0.0] * len(customers)
    for branch, parts in enumerate(below):
        gap = (customers[branch] - sum(customers[part] for part in parts)) / (len(parts) + 1)
        at = floors[branch]
        for part in parts:
            floors[part] = at + gap
            at += gap + customers[part]
    return floors


def _held(departures: pd.DataFrame, parents: list[int]) -> list[Values]:
    """For each branch the distances at which its customers, those of branches below it too, leave; ascending."""
    own = [departures.loc[departures["branch"] == branch, "distance"].to_numpy() for branch in range(len(parents))]
    for branch in range(len(parents) - 1, 0, -1):
        own[parents[branch]] = np.concatenate([own[parents[branch]], own[branch]])
    return [np.sort(distances) for distances in own]


def _title(seg: Segmentation) -> str:
    if seg.count == 1:
        return "The customers never come apart: by density they are one segment"
    outside = int(np.count_nonzero(seg.codes == UNASSIGNED))
    rest = f"; {outside:,} {plural(outside, 'customer leaves', 'customers leave')} before" if outside else ""
    return f"{seg.count} segments come apart as the distance shrinks{rest}"
