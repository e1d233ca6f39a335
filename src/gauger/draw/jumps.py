"""Merge heights against the number of segments: a large jump speaks for the count before it."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator

from gauger.appearance import ACCENT, FAINT, INK, QUIET
from gauger.choosing import CountAdvice
from gauger.clustering import MergeTree
from gauger.columns import refuse_no_whole_number
from gauger.draw.figure_typeface import AXIS
from gauger.draw.style import dress, new_figure
from gauger.wording import plural, short_number

USUAL_MERGES = 20
"""Merges drawn where nobody says: twice as many as counts usually studied."""


def merge_jumps(tree: MergeTree, advice: CountAdvice | None = None, *, most: int = USUAL_MERGES) -> Figure:
    """Draw how high the merges are that leave each number of segments, and by how much the next one is higher.

    Parameters
    ----------
    tree : MergeTree
        The tree.
    advice : CountAdvice, optional
        Its count is marked, and its alternatives more quietly.
    most : int
        How many of the last merges are drawn.

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
    >>> tree = gauger.build_tree(features)
    >>> gauger.draw.merge_jumps(tree).get_suptitle()
    'The largest jump, 3.96, is from 2 segments to 1'
    """
    refuse_no_whole_number("most", most, 2)
    last = tree.merges.tail(most)
    counts = tree.leaves - last["step"].to_numpy()
    jumps = last["jump"].to_numpy()
    word = "segment" if tree.of == "customers" else "group"
    note = "A bar is how much higher the next merge is: what going to one segment fewer would cost."
    if len(tree.merges) > len(last):
        note += f" The last {len(last)} of {len(tree.merges):,} merges are drawn."
    figure = new_figure(
        _title(counts, jumps, word, advice),
        note,
        form=(
            "Above, a line of the height at which each merge happens; below, a bar for how much higher the next one is."
        ),
    )
    heights, bars = figure.subplots(2, 1, height_ratios=(1.5, 1.0), sharex=True)
    dress(heights, y=tree.height_words)
    heights.plot(counts, last["height"], color=INK, linewidth=2.0, marker="o", markersize=5)
    dress(bars, x=f"number of {word}s left", y="jump to the next merge")
    bars.bar(counts, np.nan_to_num(jumps), color=FAINT, edgecolor=QUIET, width=0.7)
    bars.xaxis.set_major_locator(MaxNLocator(integer=True, nbins=20))
    for axes in (heights, bars):
        axes.set_xlim(counts.max() + 0.6, counts.min() - 0.6)
        axes.margins(y=0.12)
        axes.set_ylim(bottom=0.0 if axes is heights or jumps[:-1].min(initial=0.0) >= 0.0 else None)
    if advice is not None:
        for other in advice.alternatives:
            _mark(heights, bars, counts, last["height"].to_numpy(), jumps, other, advised=False)
        _mark(heights, bars, counts, last["height"].to_numpy(), jumps, advice.count, advised=True)
    return figure


def _mark(
    heights: Axes, bars: Axes, counts: np.ndarray, levels: np.ndarray, jumps: np.ndarray, count: int, *, advised: bool
) -> None:
    position = np.flatnonzero(counts == count)
    if not position.size:
        return
    level, jump = float(levels[position[0]]), float(np.nan_to_num(jumps[position[0]]))
    colour = ACCENT if advised else QUIET
    heights.plot([count], [level], marker="o", markersize=10, color=colour, zorder=4)
    bars.bar([count], [jump], color=colour, width=0.7, zorder=3)
    for axes, at in ((heights, level), (bars, jump)) if advised else ((bars, jump),):
        axes.annotate(
            f"{count} advised" if advised else f"{count}",
            (count, at),
            xytext=(0, 9 if axes is heights else 4),
            textcoords="offset points",
            ha="right" if axes is heights else "center",
            va="bottom",
            fontsize=AXIS,
            fontweight="bold" if advised else "normal",
            color=colour,
        )


def _title(counts: np.ndarray, jumps: np.ndarray, word: str, advice: CountAdvice | None) -> str:
    several = counts > 1
    if not several.any():
        return "One merge only: there is nothing to compare"
    position = int(np.where(several, np.nan_to_num(jumps, nan=-1.0), -1.0).argmax())
    largest = int(counts[position])
    text = f"The largest jump, {short_number(float(jumps[position]))}, is from {largest} {word}s to {largest - 1}"
    if advice is None or advice.count == largest:
        return text
    return f"{text}; with everything else heard, {advice.count} {plural(advice.count, 'is', 'are')} advised"
