"""Centres with the spread around them: for each feature where segments lie, in original units."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from gauger.appearance import FAINT, PAPER, segment_colour, segment_marker
from gauger.draw.labels import short_name
from gauger.draw.panels import most_panels, panels_for, rows_of
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError
from gauger.segmentation import Segmentation

_INNER, _OUTER = (0.25, 0.75), (0.05, 0.95)
"""The quantiles of the thick and of the thin bar."""

_BEYOND = 0.3
"""How far a panel goes beyond the widest thick bar, in its widths: by eye."""


def segment_spread(seg: Segmentation) -> Figure:
    """Draw for each feature every segment's centre, the middle half of its customers (thick) and nine in ten (thin).

    In original units, and each panel goes a little beyond the widest thick bar. At most nine features are drawn (six of
    more than 8 segments, three of more than 14), those that tell segments apart best; a note says how many are not.

    Parameters
    ----------
    seg : Segmentation
        The segments.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        When nobody is in a segment.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> seg = gauger.segment_by_kmeans(features, 3)
    >>> gauger.draw.segment_spread(seg).get_suptitle()
    'visits tells segments apart best: 100% of its variance lies between them'
    """
    seg = seg.sample
    if not seg.count:
        raise SettingError("nobody is in a segment: there are no centres to draw.")
    shares = seg.explained_by_feature.to_numpy()
    order = np.argsort(-shares, kind="stable")[: most_panels(seg.count)]
    shown = [seg.features.names[position] for position in sorted(order)]
    left_out = len(seg.features.names) - len(shown)
    note = "Thick: the middle half of a segment. Thin: nine in ten, cut where the panel ends."
    if left_out:
        note += f" {left_out} more features tell segments apart less."
    best = seg.features.names[int(order[0])]
    title = f"{best} tells segments apart best: {shares[order[0]]:.0%} of its variance lies between them"
    figure = new_figure(
        title if seg.count > 1 else f"One segment, and the spread of its {seg.noun.many}",
        note,
        form=(
            f"A bar a segment for how far its {seg.noun.many} are from their centre: thick for the middle "
            "half, thin for nine in ten."
        ),
    )
    for feature, (axes, first) in zip(shown, panels_for(figure, rows_of(len(shown))), strict=True):
        _panel(axes, seg, feature, named=first)
    return figure


def _panel(axes: Axes, seg: Segmentation, feature: str, *, named: bool) -> None:
    values = seg.features.original[feature].to_numpy()
    middles = []
    for position, number in enumerate(seg.numbers):
        own = values[seg.codes == number]
        colour = segment_colour(number)
        thin, thick = np.nanquantile(own, _OUTER), np.nanquantile(own, _INNER)
        middles.append(thick)
        axes.plot(thin, [position, position], color=colour, linewidth=2.0, alpha=0.55, solid_capstyle="round")
        axes.plot(thick, [position, position], color=colour, linewidth=9.0, alpha=0.55, solid_capstyle="butt")
        axes.plot(
            [seg.centres.loc[number, feature]],
            [position],
            marker=segment_marker(number),
            markersize=9,
            color=colour,
            markeredgecolor=PAPER,
            linestyle="none",
        )
    dress(axes, title=feature)
    axes.grid(visible=False, axis="y")
    axes.set_yticks(
        range(seg.count), [short_name(seg.names[number]) for number in seg.numbers] if named else [""] * seg.count
    )
    axes.tick_params(axis="y", length=0)
    axes.set_ylim(seg.count - 0.4, -0.6)
    axes.axvline(float(np.nanmedian(values)), color=FAINT, linewidth=3.0, zorder=0)
    low, high = float(np.min(middles)), float(np.max(middles))
    beyond = _BEYOND * (high - low) or 1.0
    axes.set_xlim(max(low - beyond, float(np.nanmin(values)) - 0.1 * beyond), high + beyond)
