"""The count study in one picture: the elbow and the silhouette, with the advised count marked in both."""

import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, MaxNLocator

from gauger.choosing import CountStudy
from gauger.drawing.style import ACCENT, INK, QUIET, dress, new_figure, short_number


def count_study(study: CountStudy) -> Figure:
    """Within-cluster sum of squares (left) and mean silhouette (right) against the number of segments."""
    advice = study.advice
    figure = new_figure(_title(study), "   ".join(remark.text for remark in study.remarks))
    left, right = figure.subplots(1, 2)
    _curve(left, study.table["wcss"], advice.count)
    dress(left, title=_elbow_title(study), x="number of segments", y="within-cluster sum of squares")
    left.set_ylim(bottom=0.0)
    left.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.0f}"))
    apart = study.table["silhouette"].dropna()
    if apart.empty:
        right.set_axis_off()
        right.text(0.5, 0.5, "one segment has no silhouette", ha="center", color=QUIET, transform=right.transAxes)
        return figure
    _curve(right, apart, advice.count)
    dress(right, title="Silhouette: higher is better", x="number of segments", y="mean silhouette (-1 to 1)")
    right.set_ylim(min(0.0, float(apart.min())), max(float(apart.max()) * 1.15, 0.05))
    return figure


def _curve(axes: Axes, values: pd.Series, advised: int) -> None:
    axes.plot(values.index, values, color=INK, linewidth=2.0, marker="o", markersize=6)
    axes.xaxis.set_major_locator(MaxNLocator(integer=True, nbins=min(len(values), 12)))
    if advised not in values.index:
        return
    value = float(values[advised])
    axes.axvline(advised, color=ACCENT, linewidth=1.2, linestyle=(0, (4, 3)))
    axes.plot([advised], [value], marker="o", markersize=11, color=ACCENT)
    axes.annotate(
        f"{advised} advised: {short_number(value)}",
        (advised, value),
        xytext=(10, 12),
        textcoords="offset points",
        color=ACCENT,
        fontsize=12,
        fontweight="bold",
    )


def _title(study: CountStudy) -> str:
    advice, apart = study.advice, study.table["silhouette"].dropna()
    if apart.empty:
        return "One segment alone compares with nothing"
    score = f"silhouette {apart[advice.count]:.2f}"
    verdicts = {
        "clear": f"{advice.count} segments, clearly: {score} is the highest and nothing speaks against it",
        "leaning": f"{advice.count} segments, leaning: {score} is the highest, with a rival or soft borders",
        "unclear": f"The count is unclear: {advice.count} has the highest {score}, but the signs are weak or disagree",
    }
    return verdicts[advice.verdict]


def _elbow_title(study: CountStudy) -> str:
    elbow = study.advice.elbow
    return f"Elbow at {elbow.count}, strength {elbow.strength:.2f} of 1" if elbow else "Too few counts for an elbow"
