"""Series by segment: small multiples, every member thin, the mean thick, one scale for all."""

import textwrap
from collections import Counter

import numpy as np
from matplotlib.axes import Axes
from matplotlib.collections import LineCollection
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, MaxNLocator
from numpy.typing import NDArray

from gauger.appearance import QUIET, segment_colour
from gauger.draw.figure_typeface import AXIS, SMALL
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError
from gauger.profiling import pattern_of
from gauger.segmentation import Segmentation
from gauger.wording import data_rows, listed, plural

MOST_PANELS = 12
"""Panels that can be read."""

MOST_LINES = 200
"""Series of a panel beyond which more only blacken it."""

_PERIODS_SHOWN = {1: 5, 2: 4, 3: 3, 4: 2}
"""Periods written on an axis, by panels side by side."""

_TITLE_WIDTH = 138
"""Letters that the panels side by side share for their titles."""


def series_panels(seg: Segmentation, *, relative: bool = False) -> Figure:
    """Draw a panel a segment, for customers (or houses) whose features are periods in order.

    Each panel's title says what pattern its mean takes. At most 200 members a segment are drawn, and the note says so.

    Parameters
    ----------
    seg : Segmentation
        The segments.
    relative : bool
        Divide every series by its own mean, so that large and small ones can be compared; by default original
        units.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        For fewer than three periods, more than twelve segments, or a mean of 0 to divide by.

    Examples
    --------
    >>> import gauger
    >>> weekly = gauger.read_table(gauger.demo_file("weekly_admissions.csv"))
    >>> weeks = gauger.pivot_series(weekly, entity="house", period="week", value="admissions", missing="interpolate")
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(weeks, key="house", scale="none"), 3)
    >>> gauger.draw.series_panels(seg).get_suptitle()
    '3 segments of 48 series: flat and 2 seasonal'
    """
    seg = seg.sample
    periods = list(seg.features.names)
    if len(periods) < 3:
        raise SettingError(f"a series needs at least three periods; these features have {len(periods)}.")
    if seg.count > MOST_PANELS:
        raise SettingError(f"at most {MOST_PANELS} segments can stand side by side, not {seg.count}.")
    values = _values(seg, relative=relative)
    means = {number: values[seg.codes == number].mean(axis=0) for number in seg.numbers}
    patterns = {number: pattern_of(mean, periods) for number, mean in means.items()}
    most = max(int(size) for size in seg.sizes)
    note = f"Thin: one of a segment's {seg.features.key} series. Thick: their mean. The same scale in all panels."
    if most > MOST_LINES:
        note += f" At most {MOST_LINES} series a segment are drawn."
    found = Counter(pattern.word for pattern in patterns.values())
    words = [f"{many} {word}" if many > 1 else word for word, many in found.items()]
    what = f"{seg.count} {plural(seg.count, 'segment')} of {len(seg.codes):,} series"
    figure = new_figure(
        f"{what}: {listed(words, most=6)}",
        note,
        form="A panel a segment: thin lines are single histories, the thick one is what is typical of them.",
    )
    across = _across(seg.count)
    grid = figure.subplots(-(-seg.count // across), across, sharex=True, sharey=True, squeeze=False).ravel()
    for axes, number in zip(grid, seg.numbers, strict=False):
        own = values[seg.codes == number]
        title = f"{seg.names[number]} ({len(own):,}): {patterns[number].text}"
        title = textwrap.fill(title, _TITLE_WIDTH // across)
        _panel(axes, own[:MOST_LINES], means[number], segment_colour(number), title)
    for axes in grid[seg.count :]:
        axes.set_axis_off()
    _scale(grid[: seg.count], values, periods, _PERIODS_SHOWN[across], relative=relative)
    return figure


def _values(seg: Segmentation, *, relative: bool) -> NDArray[np.float64]:
    values = seg.features.restore(seg.features.values).to_numpy()
    if not relative:
        return np.asarray(values)
    means = values.mean(axis=1, keepdims=True)
    flat = np.flatnonzero(np.abs(means[:, 0]) <= 1e-12 * np.abs(values).max(axis=1))
    if flat.size:
        raise SettingError(
            f"{len(flat):,} {plural(len(flat), 'series has', 'series have')} a mean of 0, so nothing to be relative to "
            f"({data_rows([int(one) for one in flat[:3]])})."
        )
    return np.asarray(values / means)


def _across(count: int) -> int:
    """Panels in a line, from two to four, so that as few places as possible stay empty; of equals the most."""
    if count == 1:
        return 1
    return min((2, 3, 4), key=lambda across: (-count % across if count > across else across - count, -across))


def _panel(axes: Axes, own: NDArray[np.float64], mean: NDArray[np.float64], colour: str, title: str) -> None:
    positions = np.arange(own.shape[1])
    lines = [np.column_stack([positions, row]) for row in own]
    axes.add_collection(LineCollection(lines, colors=QUIET, linewidths=0.7, alpha=0.35))
    axes.plot(positions, mean, color=colour, linewidth=3.0)
    dress(axes)
    axes.set_title(title, loc="left", fontsize=AXIS)


def _scale(
    grid: NDArray[np.object_], values: NDArray[np.float64], periods: list[str], shown: int, *, relative: bool
) -> None:
    low, high = float(values.min()), float(values.max())
    low = min(low, 0.0) if low >= 0.0 and low < 0.5 * high else low
    margin = 0.04 * (high - low) or 1.0
    for axes in grid:
        axes.set_ylim(low - margin if low < 0.0 else low, high + margin)
        axes.set_xlim(0, len(periods) - 1)
        axes.xaxis.set_major_locator(MaxNLocator(shown, integer=True))
        axes.xaxis.set_major_formatter(
            FuncFormatter(lambda at, _: periods[int(at)] if 0 <= at < len(periods) and at == int(at) else "")
        )
        axes.tick_params(labelbottom=True, labelsize=SMALL)
    grid[0].set_ylabel("share of its own mean" if relative else "original units", fontsize=AXIS)
