"""Silhouette diagrams side by side: every customer a line, segments in their colours, the mean drawn."""

from collections.abc import Mapping, Sequence
from types import MappingProxyType

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from gauger.appearance import INK, PAPER, segment_colour
from gauger.choosing import CountStudy, Silhouette, silhouette
from gauger.draw.figure_typeface import AXIS, PANEL
from gauger.draw.labels import push_apart, short_name
from gauger.draw.planes import draw_plane, name_segments, note_on_names, plane_of
from gauger.draw.scatters import chosen_axes
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError
from gauger.progress import task
from gauger.segmentation import Segmentation
from gauger.wording import listed

MOST_PANELS = 4
"""Diagrams that can be read side by side."""


def silhouette_diagrams(study: CountStudy, counts: Sequence[int] | None = None) -> Figure:
    """Draw customers' silhouettes for up to four counts, sorted within each segment.

    Parameters
    ----------
    study : CountStudy
        The study.
    counts : sequence of int, optional
        By default the advised count, its alternatives and neighbours.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        For counts that were not studied, have one segment only, or are too many.

    References
    ----------
    Rousseeuw (1987), Journal of Computational and Applied Mathematics 20, 53-65.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(15), "visits": [*range(5), *range(40, 45), *range(90, 95)]})
    >>> study = gauger.study_counts(gauger.prepare(table, key="who"), counts=range(1, 6))
    >>> gauger.draw.silhouette_diagrams(study).get_suptitle()
    '3 segments are best apart of these (mean 0.95); segment 1 is the least apart (0.95)'
    """
    shown = _default_counts(study) if counts is None else list(counts)
    strangers = [str(count) for count in shown if count < 2 or count not in study.segmentations]
    if strangers or not 0 < len(shown) <= MOST_PANELS:
        several = [str(count) for count in study.segmentations if count > 1]
        raise SettingError(
            f"counts={shown} must be one to {MOST_PANELS} of those studied with two segments or more: "
            f"{listed(several, most=12)}."
        )
    found = {}
    with task("silhouette diagrams", len(shown)) as advance:
        for count in shown:
            found[count] = silhouette(study.segmentations[count])
            advance(1)
    figure = new_figure(
        _title(found),
        " ".join(remark.text for remark in found[shown[0]].remarks),
        form=(
            f"A panel for each number of segments: every one of the {study.noun.many} is a thin bar, long "
            "where it fits its own segment much better than the next, to the left of 0 where it fits the "
            "next better."
        ),
    )
    panels = np.atleast_1d(figure.subplots(1, len(shown), sharex=True, squeeze=False)).ravel()
    for axes, count in zip(panels, shown, strict=True):
        _panel(axes, study, count, found[count], advised=count == study.advice.count)
    lowest = min(float(np.nanmin(one.values)) for one in found.values())
    panels[0].set_xlim(min(lowest, 0.0) - 0.02, 1.0)
    return figure


def silhouettes_and_scatter(seg: Segmentation, x: str | None = None, y: str | None = None) -> Figure:
    """Draw customers over two features, and beside it every customer's silhouette, segment by segment.

    Parameters
    ----------
    seg : Segmentation
        The segments.
    x, y : str, optional
        The features; by default the two that tell the segments apart best.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    UnknownColumnError
        As `scatter` does.
    SettingError
        As `scatter` does, and for fewer than two segments.

    References
    ----------
    Rousseeuw (1987), Journal of Computational and Applied Mathematics 20, 53-65.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> seg = gauger.segment_by_kmeans(features, 3)
    >>> gauger.draw.silhouettes_and_scatter(seg).get_suptitle()
    '3 segments have a mean silhouette of 0.92; segment 1 is the least apart (0.89)'
    """
    seg = seg.sample
    plane = plane_of(seg, *chosen_axes(seg, x, y))
    with task("silhouettes"):
        found = silhouette(seg)
    notes = plane.note(seg.noun), note_on_names(seg.count), *(remark.text for remark in found.remarks)
    figure = new_figure(
        _title({seg.count: found}, seg.names),
        " ".join(filter(None, notes)),
        form=(
            f"The silhouettes, a thin bar for each of the {seg.noun.many}, and beside them the same "
            f"{seg.noun.many} over two features."
        ),
    )
    left, right = figure.subplots(1, 2, width_ratios=[3, 2])
    draw_plane(left, plane, seg)
    _draw(right, seg, found, seg.names)
    right.set_xlim(min(float(np.nanmin(found.values)), 0.0) - 0.02, 1.0)
    push_apart(left, name_segments(left, plane, seg), plane.middles)
    return figure


def _panel(axes: Axes, study: CountStudy, count: int, one: Silhouette, *, advised: bool) -> None:
    _draw(axes, study.segmentations[count], one, {})
    below = float((one.values[~np.isnan(one.values)] < 0.0).mean())
    mark = ", advised" if advised else ""
    title = f"{count} segments{mark}\nmean {one.mean:.2f}, {below:.1%} below zero"
    axes.set_title(title, loc="left", fontsize=PANEL, color=INK)


def _draw(axes: Axes, seg: Segmentation, one: Silhouette, names: Mapping[int, str]) -> None:
    start, space = 0.0, 0.015 * one.measured
    for number in seg.numbers:
        own = one.values[(seg.codes == number) & ~np.isnan(one.values)]
        own = np.sort(own)[::-1]
        heights = start + np.arange(len(own))
        axes.fill_betweenx(heights, 0.0, own, color=segment_colour(number), linewidth=0.0, step="mid")
        axes.annotate(
            short_name(names.get(number, str(number))),
            (0.0, start + len(own) / 2.0),
            xytext=(5, 0),
            textcoords="offset points",
            va="center",
            fontsize=AXIS,
            fontweight="bold",
            color=INK,
            bbox={"facecolor": PAPER, "edgecolor": "none", "alpha": 0.75, "pad": 1.0},
        )
        start += len(own) + space
    axes.axvline(one.mean, color=INK, linewidth=1.4, linestyle=(0, (4, 3)))
    dress(axes, title=f"mean {one.mean:.2f}", x="silhouette")
    axes.set_ylim(start, -space)
    axes.set_yticks([])
    axes.grid(visible=False, axis="y")


def _default_counts(study: CountStudy) -> list[int]:
    tried = [count for count in study.segmentations if count > 1]
    if not tried:
        raise SettingError("a silhouette diagram needs a study of two segments or more.")
    middle = study.advice.count
    wanted = [middle, *study.advice.alternatives, middle - 1, middle + 1, middle + 2, middle + 3]
    found = [count for count in dict.fromkeys(wanted) if count in tried]
    return sorted(found[:MOST_PANELS])


def _title(found: dict[int, Silhouette], names: Mapping[int, str] = MappingProxyType({})) -> str:
    best = max(found, key=lambda count: found[count].mean)
    worst = float(found[best].by_segment.min())
    number = int(found[best].by_segment.to_numpy().argmin()) + 1
    least = f"{short_name(names.get(number, f'segment {number}'))} is the least apart ({worst:.2f})"
    if len(found) == 1:
        return f"{best} segments have a mean silhouette of {found[best].mean:.2f}; {least}"
    return f"{best} segments are best apart of these (mean {found[best].mean:.2f}); {least}"
