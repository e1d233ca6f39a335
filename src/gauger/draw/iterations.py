"""How k-means came to rest: what each iteration did to the sum of squares, and how many customers it moved."""

import numpy as np
import pandas as pd
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, MaxNLocator

from gauger.appearance import ACCENT, INK
from gauger.draw.figure_typeface import LABEL
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError
from gauger.segmentation import Segmentation
from gauger.wording import first_up, plural


def iteration_history(seg: Segmentation) -> Figure:
    """Draw the customers moved, and the sum of squares, by iteration of k-means.

    Parameters
    ----------
    seg : Segmentation
        Made by k-means.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        For a segmentation that was not made in iterations.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> seg = gauger.segment_by_kmeans(features, 3)
    >>> gauger.draw.iteration_history(seg).get_suptitle()
    'At rest after 2 iterations: nobody would change segment any more'
    """
    seg = seg.sample
    if seg.history is None or seg.starts is None:
        raise SettingError(f"segments by {seg.method} are not made in iterations: there is no history to draw.")
    history = seg.history
    figure = new_figure(
        _title(seg),
        _note(seg),
        form=(
            f"Above, a bar for each iteration with the {seg.noun.many} who changed segment; below, the sum of "
            "squares after it."
        ),
    )
    upper, lower = figure.subplots(2, 1, sharex=True)
    moved, few = _moved(seg)
    upper.bar(history.index, moved, color=INK, width=0.7)
    upper.set_yscale("symlog", linthresh=1)
    upper.set_ylim(0.0, max(int(moved.max()), 1) * 2.5)
    upper.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.0f}"))
    who = f"{few}{seg.noun.many}{'' if few else ' who'} changed segment"
    dress(upper, title=f"{first_up(who)}, on a logarithmic scale", y=seg.noun.many)
    for number in (history.index[0], history.index[-1]):
        went = int(moved.loc[number])
        upper.annotate(
            f"{went:,}",
            (number, max(went, 1)),
            xytext=(0, 4),
            textcoords="offset points",
            ha="center",
            fontsize=LABEL,
            color=ACCENT if number == history.index[-1] else INK,
        )
    lower.plot(history.index, history["wcss"], color=INK, linewidth=2.0, marker="o", markersize=4)
    dress(lower, title="Sum of squares after the iteration", x="iteration", y="within-cluster sum of squares")
    lower.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.6g}"))
    lower.xaxis.set_major_locator(MaxNLocator(integer=True))
    return figure


def _moved(seg: Segmentation) -> tuple[pd.Series, str]:
    """Who changed segment by iteration, and the words for where only as many are known as must have."""
    assert seg.history is not None
    return (
        (seg.history["moved"], "") if "moved" in seg.history else (seg.history["moved_at_least"], "at least so many ")
    )


def _title(seg: Segmentation) -> str:
    assert seg.history is not None
    iterations = len(seg.history)
    if seg.converged:
        return f"At rest after {iterations} {plural(iterations, 'iteration')}: nobody would change segment any more"
    moved, few = _moved(seg)
    still = f"{few and 'at least '}{int(moved.iloc[-1]):,}"
    return f"Stopped at {iterations} {plural(iterations, 'iteration')} with {still} still moving: not final"


def _note(seg: Segmentation) -> str:
    assert seg.starts is not None
    ends = seg.starts["wcss"].dropna().to_numpy()
    raced = len(seg.starts)
    if raced == 1:
        return "One start."
    above = (float(np.max(ends)) / float(np.min(ends)) - 1.0) if np.min(ends) > 0.0 else 0.0
    return f"The best of {raced} different starts; {len(ends)} were finished, the worst of these {above:.2%} above it."
