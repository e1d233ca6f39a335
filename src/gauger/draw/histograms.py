"""Distributions: every measure of a table at once, and features before and after their treatment."""

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from numpy.typing import NDArray

from gauger.algorithms.statistics import skewness
from gauger.appearance import ACCENT, FAINT, INK, QUIET
from gauger.columns import LONG_TAIL, AnyTable, look, whole_table
from gauger.draw.curves import Curve, even_steps, follow
from gauger.draw.figure_typeface import AXIS, SMALL
from gauger.draw.panels import panels_for, rows_of
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError
from gauger.features import FeatureSet, Transform
from gauger.wording import listed, plural, short_number

MOST_PANELS = 20
"""Panels that can be read."""

MOST_TREATED = 8
"""Pairs of panels that can be read."""

_TAIL_NOTE = " Strong colour: a long tail (skew above 2)."
_FORM = "A panel a measure with bars for how many rows have which value; the dashed line is the median."
_BINS = 40
"""Bins of a panel: by eye."""

_BAR = "#7ba7bd"


def distributions(table: AnyTable, key: str | None = None) -> Figure:
    """Draw a histogram of every measure and count of a table, with its median, to see shapes and tails at a glance.

    A measure with a long tail is drawn a second time beside it, under the logarithm that `look` advises for it. At most
    20 panels are drawn, long tails first; a note says how many measures are not.

    Parameters
    ----------
    table : pandas.DataFrame or another table
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
    table = whole_table(table)
    names = look(table, key).measures
    if not names:
        raise SettingError("the table has no measure to draw: no column holds amounts or counts.")
    columns = {name: _present(table[name]) for name in names}
    tails = [name for name in names if skewness(columns[name]) > LONG_TAIL][: MOST_PANELS // 2]
    rest = [name for name in names if name not in tails][: MOST_PANELS - 2 * len(tails)]
    panels = [(name, pulled_in) for name in tails for pulled_in in (False, True)] + [(name, False) for name in rest]
    note = f"Bars: rows by value; line: the median.{_TAIL_NOTE if tails else ''}"
    note += " Beside each: the same under the logarithm that is advised, on an axis in original units." if tails else ""
    if len(names) > len(tails) + len(rest):
        note += f" {len(names) - len(tails) - len(rest)} more measures are not drawn."
    figure = new_figure(_tail_title(tails, len(rest)), note, form=_FORM)
    for (axes, _), (name, pulled_in) in zip(panels_for(figure, _rows(len(panels), len(tails))), panels, strict=True):
        if pulled_in:
            _histogram(axes, columns[name], title=f"{name}, logarithm", colour=_BAR, curve=_logarithm(columns[name]))
        else:
            _histogram(axes, columns[name], title=name, colour=ACCENT if name in tails else _BAR)
    return figure


def _rows(panels: int, pairs: int) -> list[int]:
    """Panels by row: as even as can be, or four a row where there are pairs, so that none is parted."""
    return rows_of(panels) if not pairs else [4] * (panels // 4) + ([panels % 4] if panels % 4 else [])


def _logarithm(values: NDArray[np.float64]) -> Curve:
    """The axis of the transform that the remark on long tails advises: mirrored where values are below zero."""
    return Curve(Transform("signed_log" if values.min() < 0.0 else "log"))


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
    title = f"Indicators: 1 where a {features.noun.one} has the level" if only_indicators else _treated_title(skews)
    figure = new_figure(
        title, note, form="Two panels a feature: its values as they came, and what the treatment made of them."
    )
    pairs = 1 if len(shown) <= 3 else 2
    panels = figure.subplots(-(-len(shown) // pairs), 2 * pairs, squeeze=False)
    for position, name in enumerate(shown):
        left, right = panels[position // pairs, 2 * (position % pairs) :][:2]
        _histogram(left, before[name], title=name, colour=FAINT, edge=QUIET)
        _histogram(right, after[name], title=_steps(features, name), colour=ACCENT if name in tails else _BAR)
    for axes in panels.ravel()[2 * len(shown) :]:
        axes.set_axis_off()
    return figure


def _histogram(
    axes: Axes,
    values: NDArray[np.float64],
    *,
    title: str,
    colour: str,
    edge: str = "none",
    curve: Curve | None = None,
) -> None:
    dress(axes, title=title)
    axes.title.set_fontsize(AXIS)
    axes.grid(visible=False)
    axes.spines["left"].set_visible(False)
    axes.set_yticks([])
    if not values.size:
        axes.text(0.5, 0.5, "no value", transform=axes.transAxes, ha="center", color=QUIET)
        return
    edges = _edges(values) if curve is None else _even_edges(values, curve)
    axes.hist(values, bins=edges.tolist(), color=colour, edgecolor=edge, linewidth=0.6)
    middle = float(np.median(values))
    axes.axvline(middle, color=INK, linewidth=1.2, linestyle=(0, (4, 3)))
    axes.set_xlabel(f"median {short_number(middle)}", fontsize=SMALL, color=QUIET)
    if curve is None:
        axes.locator_params(axis="x", nbins=4)
    else:
        ends = float(edges[0]), float(edges[-1])
        follow(axes, "x", curve, ends)
        axes.set_xlim(*ends)


def _even_edges(values: NDArray[np.float64], curve: Curve) -> NDArray[np.float64]:
    """Bin edges in original units that stand at equal steps under a curve."""
    low, high = float(values.min()), float(values.max())
    return even_steps(curve, (low, high), _BINS) if high > low else _edges(values)


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
