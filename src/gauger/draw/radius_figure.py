"""The study of the radius: how far neighbours are, and what each radius makes of the customers."""

from typing import Any

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, NullFormatter, PercentFormatter

from gauger.appearance import ACCENT, FAINT, INK, PAPER, QUIET
from gauger.choosing import STEADY, RadiusStudy, plateaus_of
from gauger.draw.figure_typeface import LABEL, PANEL
from gauger.draw.style import dress, new_figure
from gauger.wording import plural, short_number

_MOST_POINTS = 2_000
"""Points of the sorted curve: more than there are pixels."""

_HIGHEST = 0.995
"""The quantile of the distances up to which the axis goes, so that the knee is seen."""

_HEADROOM = 1.25
"""Room above it: by eye."""

_WORDS: dict[str, Any] = {"textcoords": "offset points", "fontsize": PANEL, "fontweight": "bold"}
"""How words beside the curve are set."""


def neighbour_distances(study: RadiusStudy) -> Figure:
    """Draw each customer's distance to its min_points-th nearest, sorted, with knee and advised radius.

    Parameters
    ----------
    study : RadiusStudy
        The study.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> visits = [*range(1, 21), *range(101, 121), 200]
    >>> features = gauger.prepare(pd.DataFrame({"who": range(41), "visits": visits}), key="who", scale="none")
    >>> study = gauger.study_radius(features)
    >>> gauger.draw.neighbour_distances(study).get_suptitle()
    'Neighbours are near for 88% of the customers, then distances turn up'
    """
    knee, radius = study.knee, study.advice.radius
    top = _HEADROOM * max(float(np.quantile(study.distances, _HIGHEST)), radius)
    beyond = int(np.count_nonzero(study.distances > top))
    note = f"{study.noun.counted(beyond)} {plural(beyond, 'lies', 'lie')} above the frame." if beyond else ""
    figure = new_figure(
        _distances_title(study),
        note,
        form="A line of the distances to the neighbours, sorted, with the knee and the advised radius.",
    )
    axes = figure.subplots()
    reach = f"distance within which {study.min_points} are found, oneself among them (working scale)"
    dress(axes, x=f"share of the {study.noun.many}, the densest first", y=reach)
    positions = np.unique(np.linspace(0, len(study.distances) - 1, _MOST_POINTS).round().astype(int))
    shares = 100.0 * (positions + 1) / len(study.distances)
    axes.plot(shares, study.distances[positions], color=INK, linewidth=2.4)
    axes.xaxis.set_major_formatter(PercentFormatter(decimals=0))
    axes.axhline(radius, color=ACCENT, linewidth=1.4, linestyle=(0, (4, 3)))
    core = float((study.distances <= radius).mean())
    said = f"{short_number(radius)} advised: {core:.0%} are core {study.noun.many}"
    axes.annotate(said, (0.0, radius), xytext=(10, 7), color=ACCENT, **_WORDS)
    if knee is not None:
        colour = INK if knee.clear else QUIET
        at = (100.0 * knee.share, knee.height)
        axes.plot(*at, marker="o", markersize=11, color=colour if knee.clear else PAPER, markeredgecolor=colour)
        text = (
            f"{'knee' if knee.clear else 'no clear knee'} at {short_number(knee.height)}, strength {knee.strength:.2f}"
        )
        line = {"arrowstyle": "-", "color": colour, "shrinkB": 8}
        axes.annotate(text, at, xytext=(-60, 110), ha="right", color=colour, arrowprops=line, **_WORDS)
    axes.set_xlim(0.0, 101.0)
    axes.set_ylim(0.0, top)
    return figure


def radius_study(study: RadiusStudy) -> Figure:
    """Draw segments, shares, validity and agreement against the radius; the advised one and its plateau are marked.

    Parameters
    ----------
    study : RadiusStudy
        The study.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> visits = [*range(1, 21), *range(101, 121), 200]
    >>> features = gauger.prepare(pd.DataFrame({"who": range(41), "visits": visits}), key="who", scale="none")
    >>> study = gauger.study_radius(features)
    >>> gauger.draw.radius_study(study).get_suptitle()
    'Clear: radius 4.16 gives 2 segments of a fair size, 2% unassigned'
    """
    figure = new_figure(
        _study_title(study),
        form="Panels over the radius: segments, shares, validity and agreement; the advised radius is marked.",
    )
    table = study.table
    validity = table["validity"].dropna()
    segments, shares, *rest = _four_panels(figure, valid=not validity.empty)
    agree = rest[-1]
    _panel(segments, study, "Segments: where the number stays, the answer may too", "segments")
    _line(segments, table["segments"], "all", faint=True)
    _line(segments, table["fair_segments"], f"those of 2 % of the {study.noun.many} or more")
    segments.set_yscale("symlog", linthresh=10)
    segments.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.0f}"))
    segments.set_ylim(0, table["segments"].max() * 1.5 + 1)
    _panel(shares, study, "Shares: few outside, none too large", f"share of the {study.noun.many}")
    _line(shares, table["largest_share"], "largest segment")
    _line(shares, table["unassigned_share"], "unassigned", faint=True)
    shares.yaxis.set_major_formatter(PercentFormatter(1.0, decimals=0))
    shares.set_ylim(0.0, 1.1)
    for valid in rest[:-1]:
        _panel(valid, study, "Density-based validity: higher is better", "validity (-1 to 1)", x=True)
        _line(valid, validity, "")
        valid.margins(y=0.2)
    _panel(agree, study, f"Agreement with the next radius: {STEADY} and above is steady", "adjusted Rand index", x=True)
    agree.axhline(STEADY, color=QUIET, linewidth=0.9)
    _line(agree, table["agreement"].dropna(), "")
    agree.set_ylim(min(0.0, float(table["agreement"].min())) - 0.02, 1.1)
    return figure


def _four_panels(figure: Figure, *, valid: bool) -> list[Axes]:
    """Two panels above and two below; one wide one below where no radius has a validity."""
    grid = figure.add_gridspec(2, 2)
    places = [grid[0, 0], grid[0, 1], *([grid[1, 0], grid[1, 1]] if valid else [grid[1, :]])]
    first = figure.add_subplot(places[0])
    return [first, *(figure.add_subplot(place, sharex=first) for place in places[1:])]


def _panel(axes: Axes, study: RadiusStudy, title: str, y: str, *, x: bool = False) -> None:
    dress(axes, title=title, y=y, x="radius (working scale)" if x else "")
    axes.set_xscale("log")
    axes.xaxis.set_major_formatter(FuncFormatter(lambda value, _: short_number(value)))
    axes.xaxis.set_minor_formatter(NullFormatter())
    radii = study.table.index.to_numpy(dtype=float)
    axes.set_xticks(radii[::2])
    position = int(np.flatnonzero(radii == study.advice.radius)[0])
    for plateau in plateaus_of(study.table):
        if plateau.first <= position <= plateau.last and study.advice.verdict != "no structure":
            axes.axvspan(radii[plateau.first], radii[plateau.last], color=FAINT, zorder=0)
    axes.axvline(study.advice.radius, color=ACCENT, linewidth=1.4, linestyle=(0, (4, 3)), zorder=1)


def _line(axes: Axes, values: "pd.Series[float]", name: str, *, faint: bool = False) -> None:
    colour = QUIET if faint else INK
    dash = (0, (2, 2)) if faint else "-"
    axes.plot(values.index, values, color=colour, linewidth=2.0, linestyle=dash, marker="o", markersize=5, label=name)
    if name:
        axes.legend(frameon=False, fontsize=LABEL, labelcolor=INK)


def _distances_title(study: RadiusStudy) -> str:
    if study.knee is None:
        return f"The neighbour distances have no knee; {short_number(study.advice.radius)} advised"
    if study.knee.clear:
        return f"Neighbours are near for {study.knee.share:.0%} of the {study.noun.many}, then distances turn up"
    return f"No clear knee: {study.noun.many} thin out smoothly; {short_number(study.advice.radius)} advised"


def _study_title(study: RadiusStudy) -> str:
    advice = study.advice
    row = study.table.loc[[advice.radius]].iloc[0]
    if advice.verdict == "no structure":
        return "No structure: density never tells two groups apart"
    count = int(row["fair_segments"])
    what = f"{count} {plural(count, 'segment')} of a fair size, {row['unassigned_share']:.0%} unassigned"
    lead = {"clear": "Clear", "leaning": "Leaning to this", "unclear": "Unclear"}[advice.verdict]
    return f"{lead}: radius {short_number(advice.radius)} gives {what}"
