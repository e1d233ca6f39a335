"""Linkages and metrics side by side: dot plots, and a map of metrics."""

from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from gauger.appearance import ACCENT, FAINT, INK, QUIET
from gauger.choosing import NEIGHBOURS, LinkageStudy, MetricStudy
from gauger.draw.figure_typeface import AXIS, LABEL
from gauger.draw.labels import push_apart
from gauger.draw.style import dress, new_figure
from gauger.wording import first_up


def linkage_study(study: LinkageStudy) -> Figure:
    """Draw how well each linkage tells distances, how much its largest segment holds, and how far it agrees.

    The advised one is marked.

    Parameters
    ----------
    study : LinkageStudy
        The study.

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
    >>> study = gauger.study_linkages(features, count=3)
    >>> gauger.draw.linkage_study(study).get_suptitle()
    'Average linkage is advised, of 7 compared at 3 segments'
    """
    table = study.table.sort_values("agreement", ascending=False, kind="stable")
    words = study.trees[study.advice.linkage].linkage_words
    figure = new_figure(
        f"{first_up(words)} is advised, of {len(table)} compared at {study.count} segments",
        " ".join(study.advice.reasons),
        form=f"A row for each linkage with what it makes of the same {study.noun.many}.",
    )
    panels = (
        ("cophenetic_correlation", "Tells the distances (cophenetic r)", "higher is truer to the distances"),
        ("largest_share", f"Share in the largest of {study.count} segments", "near 1: a chain"),
        ("agreement", "Agreement with the others", "mean adjusted Rand index"),
    )
    rows = list(table.index)
    for axes, (column, title, below) in zip(figure.subplots(1, 3, sharey=True), panels, strict=True):
        values = table[column].to_numpy(dtype=np.float64)
        _dots(axes, rows, values, marked=rows.index(study.advice.linkage))
        dress(axes, title=title, x=below)
        axes.grid(visible=False, axis="y")
        axes.set_xlim(min(0.0, float(values.min()) - 0.08), 1.08)
    return figure


def metric_study(study: MetricStudy) -> Figure:
    """Draw a map on which metrics with a like order of distances are near each other.

    Parameters
    ----------
    study : MetricStudy
        The study.

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
    >>> study = gauger.study_metrics(features, metrics=["euclidean", "city_block", "chebyshev"])
    >>> gauger.draw.metric_study(study).get_suptitle()
    '3 metrics: least alike are city_block and chebyshev (rank correlation 0.98)'
    """
    figure = new_figure(
        _closest(study),
        " ".join(study.advice.reasons),
        form=f"A row for each metric with what it makes of the same {study.noun.many}.",
    )
    left, right = figure.subplots(1, 2, width_ratios=(1.5, 1.0))
    dress(left, title="Near each other: a like order of distances")
    x, y = (study.map[axis].to_numpy() for axis in ("x", "y"))
    left.scatter(x, y, s=70, color=ACCENT, zorder=3)
    left.set_xticks([])
    left.set_yticks([])
    reach = max(float(np.ptp(x)), float(np.ptp(y)), 1e-9)
    middle = (x.min() + x.max()) / 2.0, (y.min() + y.max()) / 2.0
    left.set_xlim(middle[0] - 0.8 * reach, middle[0] + 0.8 * reach)
    left.set_ylim(middle[1] - 0.62 * reach, middle[1] + 0.62 * reach)
    labels = []
    for at, over, name in zip(x, y, study.map.index, strict=True):
        crowded = ((x > at + 1e-9) & (x < at + 0.2 * reach) & (np.abs(y - over) < 0.05 * reach)).any()
        side, align = (-0.02, "right") if crowded else (0.02, "left")
        labels.append(left.text(at + side * reach, over, str(name), fontsize=AXIS, color=INK, va="center", ha=align))
    push_apart(left, labels)
    table = study.table.sort_values("rank_correlation", ascending=False, kind="stable")
    rows = list(table.index)
    _dots(right, rows, table["rank_correlation"].to_numpy(), marked=None)
    shared = table["neighbours"].to_numpy()
    right.plot(shared, range(len(rows)), linestyle="none", marker="s", markersize=7, color=QUIET, zorder=3)
    dress(right, title="Agreement with the others, on average", x=f"● rank correlation   ■ shared {NEIGHBOURS} nearest")
    right.grid(visible=False, axis="y")
    right.set_xlim(min(0.0, float(table["rank_correlation"].min()) - 0.05), 1.05)
    return figure


def _dots(axes: Axes, rows: Sequence[str], values: np.ndarray, *, marked: int | None) -> None:
    positions = np.arange(len(rows))
    axes.hlines(positions, 0.0, values, color=FAINT, linewidth=2.0, zorder=1)
    colours = [ACCENT if position == marked else INK for position in positions]
    axes.scatter(values, positions, s=80, color=colours, zorder=4)
    if marked is not None:
        for position, value in zip(positions, values, strict=True):
            axes.annotate(
                f"{value:.2f}",
                (value, position),
                xytext=(0, 8),
                textcoords="offset points",
                ha="center",
                fontsize=LABEL,
                color=colours[position],
            )
    axes.set_yticks(positions, rows)
    axes.tick_params(axis="y", length=0)
    axes.set_ylim(len(rows) - 0.5, -0.6)


def _closest(study: MetricStudy) -> str:
    order = study.rank_correlation.to_numpy()
    one, other = (int(position) for position in np.unravel_index(int(order.argmin()), order.shape))
    names = list(study.rank_correlation.index)
    least = f"{order[one, other]:.2f}"
    return f"{len(names)} metrics: least alike are {names[one]} and {names[other]} (rank correlation {least})"
