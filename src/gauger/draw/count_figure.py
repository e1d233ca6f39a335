"""The count study in one picture: elbow, silhouette, gap and stability, with the advised count marked in all."""

import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, MaxNLocator

from gauger.appearance import ACCENT, INK, PAPER, QUIET
from gauger.choosing import SHARP, STABLE, CountStudy
from gauger.draw.figure_typeface import AXIS, LABEL
from gauger.draw.style import dress, new_figure
from gauger.wording import first_up, listed, short_number

_HEADROOM = 1.16
"""Room above a curve for its label: by eye."""


_BEHIND = {"facecolor": PAPER, "edgecolor": "none", "alpha": 0.7, "pad": 0.5}
"""Paper behind a label, so that a line under it does not cross it out."""


def count_study(study: CountStudy) -> Figure:
    """Draw the sum of squares, mean silhouette, gap and stability against the number of segments.

    The gap has its standard error. The advised count is marked in each, and what the criterion itself would take where
    that is another count. Beside stability stands prediction strength.

    Parameters
    ----------
    study : CountStudy
        The study.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(15), "visits": [*range(5), *range(40, 45), *range(90, 95)]})
    >>> study = gauger.study_counts(gauger.prepare(table, key="who"), counts=range(1, 6))
    >>> gauger.draw.count_study(study).get_suptitle()
    'Leaning to 3 segments (silhouette 0.95); look at 4 too'
    """
    figure = new_figure(
        _title(study),
        " ".join(first_up(remark.text) for remark in study.remarks),
        form=(
            "Four panels over the number of segments: sum of squares, silhouette, gap, stability; the "
            "advised number is marked."
        ),
    )
    (spread, apart), (gap, stable) = figure.subplots(2, 2)
    _draw_spread(spread, study)
    _draw_silhouette(apart, study)
    _draw_gap(gap, study)
    _draw_stability(stable, study)
    for axes in (spread, apart, gap, stable):
        axes.set_xlim(study.table.index[0] - 0.4, study.table.index[-1] + 0.4)
        axes.xaxis.set_major_locator(MaxNLocator(integer=True, nbins=min(len(study.table), 12)))
        axes.axvline(study.advice.count, color=ACCENT, linewidth=1.2, linestyle=(0, (4, 3)), zorder=1)
    return figure


def _draw_spread(axes: Axes, study: CountStudy) -> None:
    spread, elbow = study.table["wcss"], study.advice.elbow
    title = "Too few counts for an elbow"
    if elbow is not None:
        words = "" if elbow.strength >= SHARP else ": too smooth to say"
        title = f"Elbow at {elbow.count}, strength {elbow.strength:.2f} of 1{words}"
    dress(axes, title=title, y="within-cluster sum of squares")
    _curve(axes, spread)
    _mark_own(axes, spread, study, "elbow", "elbow")
    _mark(axes, spread, study.advice.count, f"{study.advice.count} advised", advised=True)
    axes.set_ylim(0.0, float(spread.max()) * _HEADROOM or 1.0)
    axes.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.0f}" if value >= 10 else f"{value:g}"))


def _draw_silhouette(axes: Axes, study: CountStudy) -> None:
    apart = study.table["silhouette"].dropna()
    dress(axes, title="Silhouette: higher is better", y="mean silhouette (-1 to 1)")
    if apart.empty:
        axes.text(0.5, 0.5, "one segment has no silhouette", ha="center", color=QUIET, transform=axes.transAxes)
        return
    _curve(axes, apart, 2.0 * study.table["silhouette_se"].reindex(apart.index))
    _mark_own(axes, apart, study, "silhouette", "highest")
    if study.advice.count in apart.index:
        _mark(axes, apart, study.advice.count, short_number(apart[study.advice.count]), advised=True)
    axes.set_ylim(min(0.0, float(apart.min())), max(float(apart.max()) * _HEADROOM, 0.05))


def _draw_gap(axes: Axes, study: CountStudy) -> None:
    gap, pick = study.table["gap"].dropna(), study.advice.picks["gap"]
    says = f"its rule says {pick}" if pick is not None else "its rule says none of these"
    dress(axes, title=f"Gap: higher is better; {says}", x="number of segments", y="gap (log units)")
    _curve(axes, gap, study.table["gap_se"].reindex(gap.index))
    _mark_own(axes, gap, study, "gap", "by its rule")
    if study.advice.count in gap.index:
        _mark(axes, gap, study.advice.count, short_number(gap[study.advice.count]), advised=True)
    axes.margins(y=0.18)


def _draw_stability(axes: Axes, study: CountStudy) -> None:
    stable, strength = study.table["stability"].dropna(), study.table["prediction_strength"].dropna()
    title = f"Stability of the weakest segment: above {STABLE} is stable"
    dress(axes, title=title, x="number of segments", y="0 to 1")
    axes.axhline(STABLE, color=QUIET, linewidth=0.9)
    axes.plot(strength.index, strength, color=QUIET, linewidth=1.6, marker="s", markersize=4, linestyle=(0, (2, 2)))
    _curve(axes, stable)
    axes.set_ylim(0.0, _HEADROOM)
    _mark_own(axes, stable, study, "stability", "last stable one")
    if study.advice.count in stable.index:
        _mark(axes, stable, study.advice.count, short_number(stable[study.advice.count]), advised=True)
    if not strength.empty:
        last = float(strength.to_numpy()[-1])
        above = stable.empty or last >= float(stable.to_numpy()[-1])
        axes.annotate(
            "prediction strength",
            (strength.index[-1], last),
            xytext=(0, 8 if above else -14),
            textcoords="offset points",
            ha="right",
            color=QUIET,
            fontsize=LABEL,
            bbox=_BEHIND,
        )


def _curve(axes: Axes, values: pd.Series, errors: pd.Series | None = None) -> None:
    axes.plot(values.index, values, color=INK, linewidth=2.0, marker="o", markersize=5)
    if errors is not None and bool(errors.any()):
        axes.errorbar(values.index, values, yerr=errors, color=INK, linewidth=0.0, elinewidth=1.4, capsize=4)


def _mark_own(axes: Axes, values: pd.Series, study: CountStudy, criterion: str, text: str) -> None:
    """Mark what a criterion itself would take, where the evidence takes another count."""
    pick = study.advice.picks[criterion]
    if pick is not None and pick != study.advice.count and pick in values.index:
        _mark(axes, values, pick, text, advised=False)


def _mark(axes: Axes, values: pd.Series, count: int, text: str, *, advised: bool) -> None:
    value = float(values[count])
    colour = ACCENT if advised else QUIET
    axes.plot([count], [value], marker="o", markersize=10, color=colour if advised else PAPER, markeredgecolor=colour)
    leftwards = count > values.index[len(values) * 2 // 3]
    rising = not advised and bool((values.loc[count:].iloc[1:3] > value).any())
    axes.annotate(
        text,
        (count, value),
        xytext=(-10 if leftwards else 10, -18 if rising else 9),
        textcoords="offset points",
        ha="right" if leftwards else "left",
        color=colour,
        fontsize=AXIS,
        fontweight="bold",
        bbox=_BEHIND,
    )


def _title(study: CountStudy) -> str:
    advice, apart = study.advice, study.table["silhouette"].dropna()
    if apart.empty:
        return "One segment alone compares with nothing"
    if advice.verdict == "no structure":
        if advice.filters:
            return f"No structure beside what a filter on {listed(list(advice.filters), most=3)} tells apart"
        return f"No structure: one cloud, whose best cut has a silhouette of {apart.max():.2f}"
    score = f"silhouette {apart[advice.count]:.2f}" if advice.count in apart.index else "no silhouette"
    if advice.verdict == "clear":
        return f"{advice.count} segments, clearly: {score}, and {study.noun.many} thin out between each two"
    others = listed(map(str, sorted(advice.alternatives)), last="or") if advice.alternatives else ""
    also = f"; look at {others} too" if others else ""
    if advice.verdict == "leaning":
        return f"Leaning to {advice.count} segments ({score}){also}"
    return f"Unclear: {advice.count} segments at best ({score}){also}"
