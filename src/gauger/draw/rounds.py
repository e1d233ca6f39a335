"""How k-means came to rest: what each round did to the sum of squares, and how many customers it moved."""

import numpy as np
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, MaxNLocator

from gauger.draw.style import ACCENT, INK, dress, new_figure
from gauger.errors import SettingError
from gauger.segmentation import Segmentation
from gauger.wording import plural


def round_history(seg: Segmentation) -> Figure:
    """Customers moved, and the sum of squares above where it ended, by round.

    Raises SettingError for a segmentation that was not made in rounds.
    """
    if seg.course is None or seg.starts is None:
        raise SettingError(f"segments by {seg.method} are not made in rounds: there is no history to draw.")
    course = seg.course
    figure = new_figure(_title(seg), _note(seg))
    upper, lower = figure.subplots(2, 1, sharex=True)
    upper.bar(course.index, course["moved"], color=INK, width=0.7)
    upper.set_yscale("symlog", linthresh=1)
    upper.set_ylim(0.0, max(int(course["moved"].max()), 1) * 2.5)
    upper.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.0f}"))
    dress(upper, title="Customers who changed segment, on a logarithmic scale", y="customers")
    for number in (course.index[0], course.index[-1]):
        moved = int(course.loc[number, "moved"])
        upper.annotate(
            f"{moved:,}",
            (number, max(moved, 1)),
            xytext=(0, 4),
            textcoords="offset points",
            ha="center",
            fontsize=10,
            color=ACCENT if number == course.index[-1] else INK,
        )
    lower.plot(course.index, course["wcss"], color=INK, linewidth=2.0, marker="o", markersize=4)
    dress(lower, title="Sum of squares after the round", x="round", y="within-cluster sum of squares")
    lower.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.6g}"))
    lower.xaxis.set_major_locator(MaxNLocator(integer=True))
    return figure


def _title(seg: Segmentation) -> str:
    assert seg.course is not None
    rounds = len(seg.course)
    if seg.converged:
        return f"At rest after {rounds} {plural(rounds, 'round')}: nobody would change segment any more"
    moved = int(seg.course["moved"].iloc[-1])
    return f"Stopped at {rounds} {plural(rounds, 'round')} with {moved:,} still moving: not final"


def _note(seg: Segmentation) -> str:
    assert seg.starts is not None
    ends = seg.starts["wcss"].dropna().to_numpy()
    raced = len(seg.starts)
    if raced == 1:
        return "One start."
    above = (float(np.max(ends)) / float(np.min(ends)) - 1.0) if np.min(ends) > 0.0 else 0.0
    return f"The best of {raced} different starts; {len(ends)} were finished, the worst of these {above:.2%} above it."
