"""Distributions: every measure of a table at once, and features before and after their treatment."""

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from numpy.typing import NDArray

from gauger.algorithms.statistics import skewness
from gauger.columns import LONG_TAIL, look
from gauger.draw.style import ACCENT, FAINT, INK, QUIET, dress, new_figure
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.wording import listed, plural, short_number

MOST_MEASURES = 20
"""Panels that can be read."""

MOST_TREATED = 8
"""Pairs of panels that can be read."""

_TAIL_NOTE = " Dark orange: a long tail (skew above 2)."
_BINS = 40
"""Bins of a panel: by eye."""

_BAR = "#7ba7bd"


def distributions(table: pd.DataFrame, key: str | None = None) -> Figure:
    """Draw a histogram of every measure and count of a table, with its median, to see shapes and tails at a glance.

    At most 20 are drawn, in the table's order; a note says how many are not.

    Parameters
    ----------
    table : pandas.DataFrame
        Any table.
    key : str, optional
        The column that identifies a customer.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        For a table without any.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> table["household"] = ["alone"] * 5 + ["family"] * 7
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> gauger.draw.distributions(table, "who").get_suptitle()
    'No long tails among 2 measures'
    """
    names = look(table, key).measures
    if not names:
        raise SettingError("the table has no measure to draw: no column holds amounts or counts.")
    shown = names[:MOST_MEASURES]
    columns = {name: _present(table[name]) for name in shown}
    tails = [name for name, values in columns.items() if skewness(values) > LONG_TAIL]
    note = f"Bars: rows by value; line: the median.{_TAIL_NOTE if tails else ''}"
    if len(names) > len(shown):
        note += f" {len(names) - len(shown)} more measures are not drawn."
    figure = new_figure(_tail_title(tails, len(shown)), note)
    across = min(len(shown), 3 if len(shown) <= 6 else 4 if len(shown) <= 12 else 5)
    panels = figure.subplots(-(-len(shown) // across), across, squeeze=False).ravel()
    for axes, name in zip(panels, shown, strict=False):
        _histogram(axes, columns[name], title=name, colour=ACCENT if name in tails else _BAR)
    for axes in panels[len(shown) :]:
        axes.set_axis_off()
    return figure


def treatments(features: FeatureSet) -> Figure:
    """Draw each feature before its treatment, in original units, and after it, on the working scale, side by side.

    At most eight features are drawn, those whose shape changed most; a note says how many are not.

    Parameters
    ----------
    features : FeatureSet
        The features.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> gauger.draw.treatments(features).get_suptitle()
    'No feature had a long tail to begin with'
    """
    measures = [name for name in features.names if name not in features.indicators] or list(features.names)
    positions = {name: position for position, name in enumerate(features.names)}
    before = {name: _present(features.original[name]) for name in measures}
    after = {name: features.values[:, positions[name]] for name in measures}
    skews = {name: (skewness(before[name]), skewness(after[name])) for name in measures}
    changed = sorted(measures, key=lambda name: -abs(np.nan_to_num(skews[name][0] - skews[name][1])))[:MOST_TREATED]
    shown = [name for name in measures if name in changed]
    tails = {name for name in shown if name not in features.indicators and skews[name][1] > LONG_TAIL}
    note = f"Left of each pair: original units; right: the working scale.{_TAIL_NOTE if tails else ''}"
    if len(measures) > len(shown):
        note += f" {len(measures) - len(shown)} more features are not drawn."
    only_indicators = all(name in features.indicators for name in shown)
    title = "Indicators: 1 where a customer has the level" if only_indicators else _treated_title(skews)
    figure = new_figure(title, note)
    pairs = 1 if len(shown) <= 3 else 2
    panels = figure.subplots(-(-len(shown) // pairs), 2 * pairs, squeeze=False)
    for position, name in enumerate(shown):
        left, right = panels[position // pairs, 2 * (position % pairs) :][:2]
        _histogram(left, before[name], title=name, colour=FAINT, edge=QUIET)
        _histogram(right, after[name], title=_steps(features, name), colour=ACCENT if name in tails else _BAR)
    for axes in panels.ravel()[2 * len(shown) :]:
        axes.set_axis_off()
    return figure


def _histogram(axes: Axes, values: NDArray[np.float64], *, title: str, colour: str, edge: str = "none") -> None:
    dress(axes, title=title)
    axes.title.set_fontsize(11)
    axes.grid(visible=False)
    axes.spines["left"].set_visible(False)
    axes.set_yticks([])
    if not values.size:
        axes.text(0.5, 0.5, "no value", transform=axes.transAxes, ha="center", color=QUIET)
        return
    axes.hist(values, bins=_edges(values).tolist(), color=colour, edgecolor=edge, linewidth=0.6)
    middle = float(np.median(values))
    axes.axvline(middle, color=INK, linewidth=1.2, linestyle=(0, (4, 3)))
    axes.set_xlabel(f"median {short_number(middle)}", fontsize=9, color=QUIET)
    axes.locator_params(axis="x", nbins=4)


def _edges(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Bin edges: between whole numbers, as many to each bin, where all are whole; else equal steps."""
    low, high = float(values.min()), float(values.max())
    if (values % 1.0 == 0.0).all():
        step = np.ceil((high - low + 1.0) / _BINS)
        return np.arange(low - 0.5, high + step, step)
    return np.linspace(low, high, _BINS + 1) if high > low else np.array([low - 0.5, low + 0.5])


def _present(column: pd.Series) -> NDArray[np.float64]:
    return column.dropna().to_numpy(dtype=np.float64)


def _steps(features: FeatureSet, name: str) -> str:
    """The treatments in a few words, without the figures learned."""
    words = [type(step).__name__.lower() if step.text else "" for step in features.treatments[name]]
    rules = [getattr(step, "rule", "") for step in features.treatments[name]]
    shown = [rule if word in ("transform", "scale") else word for word, rule in zip(words, rules, strict=True) if word]
    return " → ".join(shown).replace("_", " ") or "as it is"


def _tail_title(tails: list[str], drawn: int) -> str:
    if not tails:
        return f"No long tails among {drawn} {plural(drawn, 'measure')}"
    return f"{listed(tails)} {plural(len(tails), 'has', 'have')} a long tail"


def _treated_title(skews: dict[str, tuple[float, float]]) -> str:
    before = sum(skew > LONG_TAIL for skew, _ in skews.values())
    after = sum(skew > LONG_TAIL for _, skew in skews.values())
    if not before:
        return "No feature had a long tail to begin with"
    if after == before:
        return f"The treatment leaves {before} long {plural(before, 'tail')} as {plural(before, 'it is', 'they are')}"
    left = f"{after or 'none'} {plural(after, 'is', 'are')} left"
    return f"Of {before} long {plural(before, 'tail')}, {left} after treatment"
