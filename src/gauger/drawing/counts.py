"""The count study in one picture: the elbow and the silhouette, with the advised count marked in both."""

import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, MaxNLocator

from gauger.choosing import CountStudy
from gauger.drawing.style import ACCENT, INK, PAPER, QUIET, dress, new_figure
from gauger.readable import short_number

_HEADROOM = 1.12


def count_study(study: CountStudy) -> Figure:
    """Within-cluster sum of squares (left) and mean silhouette (right) against the number of segments.

    The advised count is marked in both, and on the left the elbow, when it is elsewhere.
    """
    advice, apart = study.advice, study.table["silhouette"].dropna()
    figure = new_figure(_title(study), " ".join(remark.text[:1].upper() + remark.text[1:] for remark in study.remarks))
    left, right = figure.subplots(1, 2)
    spread = study.table["wcss"]
    _curve(left, spread)
    if advice.elbow is not None and advice.elbow.count != advice.count:
        _mark(left, spread, advice.elbow.count, "elbow", advised=False)
    _mark(left, spread, advice.count, f"{advice.count} advised", advised=True)
    dress(left, title=_elbow_title(study), x="number of segments", y="within-cluster sum of squares")
    left.set_ylim(0.0, float(spread.max()) * _HEADROOM or 1.0)
    left.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.0f}" if value >= 10 else f"{value:g}"))
    if apart.empty:
        right.set_axis_off()
        right.text(0.5, 0.5, "one segment has no silhouette", ha="center", color=QUIET, transform=right.transAxes)
        return figure
    _curve(right, apart)
    _mark(right, apart, advice.count, f"{advice.count} advised: {short_number(apart[advice.count])}", advised=True)
    dress(right, title="Silhouette: higher is better", x="number of segments", y="mean silhouette (-1 to 1)")
    right.set_ylim(min(0.0, float(apart.min())), max(float(apart.max()) * _HEADROOM, 0.05))
    return figure


def _curve(axes: Axes, values: pd.Series) -> None:
    axes.plot(values.index, values, color=INK, linewidth=2.0, marker="o", markersize=6)
    axes.xaxis.set_major_locator(MaxNLocator(integer=True, nbins=min(len(values), 12)))


def _mark(axes: Axes, values: pd.Series, count: int, text: str, *, advised: bool) -> None:
    value = float(values[count])
    colour = ACCENT if advised else QUIET
    if advised:
        axes.axvline(count, color=colour, linewidth=1.2, linestyle=(0, (4, 3)))
    axes.plot([count], [value], marker="o", markersize=11, color=colour if advised else PAPER, markeredgecolor=colour)
    leftwards = count > values.index[len(values) * 2 // 3]
    axes.annotate(
        text,
        (count, value),
        xytext=(-10 if leftwards else 10, 12),
        textcoords="offset points",
        ha="right" if leftwards else "left",
        color=colour,
        fontsize=12,
        fontweight="bold",
    )


def _title(study: CountStudy) -> str:
    advice, apart = study.advice, study.table["silhouette"].dropna()
    if apart.empty:
        return "One segment alone compares with nothing"
    count, score = advice.count, f"{apart[advice.count]:.2f}"
    if advice.verdict == "clear":
        return f"{count} segments, clearly: silhouette {score} is the highest and nothing speaks against it"
    if advice.verdict == "leaning":
        return f"Leaning to {count} segments: silhouette {score} is the highest, with a rival or soft borders"
    if advice.elbow is not None and advice.elbow.count in advice.alternatives:
        return f"Unclear: the silhouette says {count} segments ({score}), the elbow says {advice.elbow.count}"
    return f"Unclear: even with {count} segments, the best, the silhouette is only {score}"


def _elbow_title(study: CountStudy) -> str:
    elbow = study.advice.elbow
    return f"Elbow at {elbow.count}, strength {elbow.strength:.2f} of 1" if elbow else "Too few counts for an elbow"
