"""Segment profiles as bars: one panel a measure, one bar a segment, everyone's mean as a line."""

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from gauger.appearance import INK, QUIET, segment_colour
from gauger.draw.figure_typeface import LABEL
from gauger.draw.labels import short_name
from gauger.draw.panels import most_panels, panels_for, rows_of
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError
from gauger.profiling import EVERYONE, Profile
from gauger.wording import short_number

_TITLE_WIDTH, _LINE = 31, "\n"
"""Letters that a panel's title has on one line."""

_VALUES = 0.2
"""The share of a panel's width that is the values' own, right of every bar and line: none is ever crossed."""


def profile_bars(profile: Profile) -> Figure:
    """Draw each measure's mean by segment, in original units, against everyone's mean.

    At most 16 measures are drawn (twelve of more than 5 segments, eight of more than 8, four of more than 14), those of
    strongest contrast; a note says how many are not.

    Parameters
    ----------
    profile : Profile
        The profile.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> table["household"] = ["alone"] * 5 + ["family"] * 7
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> profile = gauger.profile(gauger.segment_by_kmeans(features, 3), table)
    >>> gauger.draw.profile_bars(profile).get_suptitle()
    "Strongest contrast: segment 3 has 2.1 times everyone's spend"
    """
    if profile.means.columns.empty:
        raise SettingError("the profile has no measure to draw: every column is a category, a date or a key.")
    measures = _measures_shown(profile)
    left_out = profile.means.shape[1] - len(measures)
    note = f"{left_out} more measures are in the tables." if left_out else ""
    figure = new_figure(
        _title(profile),
        note,
        form="A panel a measure, in it a bar a segment for its mean; the dashed line is everyone's mean.",
    )
    for measure, (axes, first) in zip(measures, panels_for(figure, rows_of(len(measures))), strict=True):
        _panel(axes, profile, measure, named=first)
    return figure


def _panel(axes: Axes, profile: Profile, measure: str, *, named: bool) -> None:
    means = profile.means[measure].drop(EVERYONE)
    everyone = float(profile.means[measure].to_numpy()[-1])
    positions = np.arange(len(means))
    numbers = [row if isinstance(row, int) else 0 for row in means.index]
    axes.barh(positions, means.fillna(0.0), color=[segment_colour(number) for number in numbers], height=0.72)
    axes.axvline(everyone, color=INK, linewidth=1.2, linestyle=(0, (4, 3)))
    told = f"(everyone {short_number(everyone)})"
    dress(axes, title=f"{measure}{' ' if len(measure) + len(told) <= _TITLE_WIDTH else _LINE}{told}")
    axes.grid(visible=False)
    axes.set_yticks(
        positions, [short_name(profile.name_of(row)) for row in means.index] if named else [""] * len(means)
    )
    axes.invert_yaxis()
    axes.tick_params(axis="y", length=0)
    low, high = min(0.0, float(means.min())), max(0.0, float(means.max()), everyone)
    axes.set_xlim(low, low + (high - low or 1.0) / (1.0 - _VALUES))
    axes.locator_params(axis="x", nbins=4)
    for position, value in enumerate(means):
        axes.text(
            1.0,
            position,
            "no value" if np.isnan(value) else short_number(value),
            transform=axes.get_yaxis_transform(),
            ha="right",
            va="center",
            fontsize=LABEL,
            color=QUIET if np.isnan(value) else INK,
        )


def _measures_shown(profile: Profile) -> list[str]:
    names = list(profile.means.columns)
    most = most_panels(len(profile.means) - 1)
    if len(names) <= most:
        return names
    widest = _contrast(profile).max().sort_values(ascending=False, kind="stable").index[:most]
    return [name for name in names if name in widest]


def _contrast(profile: Profile) -> pd.DataFrame:
    """How many times everyone's mean, or its inverse: 1 is no contrast."""
    ratio = profile.index.drop(EVERYONE) / 100.0
    return ratio.where(ratio >= 1.0, 1.0 / ratio.where(ratio > 0.0)).fillna(1.0)


def _title(profile: Profile) -> str:
    times = profile.index.drop(EVERYONE) / 100.0
    if times.empty or times.isna().all().all():
        return "Means by segment, in original units"
    widest = times.max().sort_values(ascending=False, kind="stable").index[0]
    row = times[widest].idxmax()
    factor = float(times.loc[row, widest])
    if factor < 1.05:
        return "Segments hardly differ in these measures"
    name = profile.name_of(row)
    return f"Strongest contrast: {name} has {factor:.1f} times everyone's {str(widest).replace('_', ' ')}"
