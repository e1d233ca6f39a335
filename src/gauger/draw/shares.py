"""Categories by segment, as stacked bars of shares."""

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.colors import LinearSegmentedColormap, to_hex
from matplotlib.figure import Figure
from numpy.typing import NDArray

from gauger.appearance import INK, PAPER
from gauger.draw.figure_typeface import AXIS, LABEL
from gauger.draw.labels import short_name
from gauger.draw.planes import MOST_NAMED
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError, UnknownColumnError
from gauger.profiling import EVERYONE, FEWEST_SHARED, OTHER_LEVELS, Profile

_TONES = LinearSegmentedColormap.from_list("levels", ["#1c3c5a", "#5f8fb4", "#dfe9f1"])
_HATCHES = ("", "///", "...", "\\\\\\", "xx")
_WRITTEN, _HEIGHT = 0.045, 0.74
"""The smallest share whose number fits its bar, and the height of a bar."""


def category_shares(profile: Profile, column: str | None = None) -> Figure:
    """Draw of each segment, and of everyone, the share of customers with each level of a category, as one bar.

    Shares below 4.5 % are drawn without their number; where fewer than 30 customers have a value, their number is
    written in place of a share. Levels that the profile leaves out of very many are "(other)"; of a flag the yes is
    drawn.

    Parameters
    ----------
    profile : Profile
        The profile.
    column : str, optional
        The category; by default the one that goes with the segments most.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        When the profile has no category.
    UnknownColumnError
        For a column that is none of them.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(120), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42] * 10})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32] * 10
    >>> table["household"] = (["alone"] * 5 + ["family"] * 7) * 10
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> profile = gauger.profile(gauger.segment_by_kmeans(features, 3), table)
    >>> gauger.draw.category_shares(profile).get_suptitle()
    'segment 1: 0% have household family, of everyone 58%'
    """
    names = list(dict.fromkeys(profile.categories.index.get_level_values("column")))
    if not names:
        raise SettingError("the profile has no category to draw: give `profile` a table with some.")
    chosen = column if column is not None else str(profile.associations.index[0])
    if chosen not in names:
        raise UnknownColumnError.among([chosen], names)
    shares = profile.categories.xs(chosen, level="column")
    assert isinstance(shares, pd.DataFrame)
    rows = [row for row in shares.columns if not isinstance(row, int) or row in profile.numbers[:MOST_NAMED]]
    shares = shares[rows]
    fewer = len(profile.numbers) - MOST_NAMED
    note = f"Among the {profile.noun.many} with a value." + (
        f" {fewer} smaller segments are left out." if fewer > 0 else ""
    )
    known = profile.known[rows].loc[[chosen]].iloc[0]
    figure = new_figure(
        _title(profile, chosen, shares, known),
        note,
        form="A bar a segment, cut into the shares of the levels; everyone's own bar is among them.",
    )
    axes = figure.subplots()
    _draw(axes, shares, known.to_numpy(dtype=np.int64))
    dress(axes, x=f"share of {profile.noun.many}")
    axes.grid(visible=False)
    axes.set_xlim(0.0, 1.0)
    axes.xaxis.set_major_formatter(lambda value, _: f"{value:.0%}")
    labels = [f"{short_name(profile.name_of(row))}\n{known[row]:,} known" for row in rows]
    axes.set_yticks(range(len(rows)), labels)
    axes.tick_params(axis="y", length=0, labelsize=AXIS)
    axes.set_ylim(len(rows) - 0.5, -0.5)
    figure.legend(
        *axes.get_legend_handles_labels(),
        loc="outside right center",
        frameon=False,
        fontsize=AXIS,
        labelcolor=INK,
        title=chosen,
        handlelength=1.6,
        handleheight=1.4,
    )
    return figure


def _draw(axes: Axes, shares: pd.DataFrame, known: NDArray[np.int64]) -> None:
    count = len(shares)
    starts = np.zeros(len(shares.columns))
    for position, level in enumerate(shares.index):
        tone = to_hex(_TONES(position / max(count - 1, 1)))
        own = shares.loc[level].to_numpy(dtype=np.float64)
        own = np.nan_to_num(own)
        axes.barh(
            range(len(own)),
            own,
            left=starts,
            height=_HEIGHT,
            color=tone,
            edgecolor=PAPER,
            linewidth=1.0,
            hatch=_HATCHES[position % len(_HATCHES)],
            label=str(level),
        )
        for row, share in enumerate(own):
            if share >= _WRITTEN:
                axes.text(
                    starts[row] + share / 2.0,
                    row,
                    f"{share:.0%}" if known[row] >= FEWEST_SHARED else f"{round(share * known[row])}",
                    ha="center",
                    va="center",
                    fontsize=LABEL,
                    color=INK,
                    bbox={"facecolor": PAPER, "edgecolor": "none", "alpha": 0.85, "pad": 1.5},
                )
        starts += own


def _title(profile: Profile, column: str, shares: pd.DataFrame, known: "pd.Series[int]") -> str:
    shares = shares.drop(index=OTHER_LEVELS, errors="ignore")
    numbers = [row for row in shares.columns if isinstance(row, int) and known[row] >= FEWEST_SHARED]
    gaps = shares[numbers].sub(shares[EVERYONE], axis=0).to_numpy(dtype=np.float64)
    if len(profile.numbers) < 2 or not gaps.size or np.isnan(gaps).all():
        return f"{column}, in shares of customers"
    level, position = (int(at) for at in np.unravel_index(int(np.nanargmax(np.abs(gaps))), gaps.shape))
    own, everyone = float(shares[numbers[position]].iloc[level]), float(shares[EVERYONE].iloc[level])
    name = short_name(profile.name_of(numbers[position]))
    return f"{name}: {own:.0%} have {column} {shares.index[level]}, of everyone {everyone:.0%}"
