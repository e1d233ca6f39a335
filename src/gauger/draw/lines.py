"""A profile as parallel lines: one line a segment, from measure to measure."""

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.text import Text

from gauger.appearance import INK, PAPER, QUIET, segment_colour, segment_marker
from gauger.draw.clouds import label_at
from gauger.draw.figure_typeface import AXIS, LABEL, SMALL
from gauger.draw.labels import push_apart, short_name, wrapped
from gauger.draw.planes import MOST_NAMED
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError
from gauger.profiling import Profile
from gauger.wording import plain_number

MOST_MEASURES = 20
"""Measures whose names fit."""

_UPRIGHT = 8
"""Measures from which names stand upright."""

_FARTHEST = 4.0
"""Standard deviations beyond which a line is drawn at the edge."""

_GAP = 9
"""Points between a mark and its figure."""

_INDENT = 0.02
"""The share of the axis between a line's end and its name."""

_MARGIN, _LETTER = 0.04, 0.0092
"""The share of the figure for names: a margin, and so much a letter."""


def profile_lines(profile: Profile) -> Figure:
    """Draw how far each segment is from the rest, in standard deviations, from measure to measure.

    What is typical of the highest and the lowest segment stands at each measure in original units (the median where
    there is a long tail). At most 20 measures, those of the strongest difference, and 20 segments; a note says how many
    are not drawn. Differences beyond 4 standard deviations are drawn at 4.

    Parameters
    ----------
    profile : Profile
        The profile.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        For a profile with fewer than two measures, or one segment.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> table["household"] = ["alone"] * 5 + ["family"] * 7
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> profile = gauger.profile(gauger.segment_by_kmeans(features, 3), table)
    >>> gauger.draw.profile_lines(profile).get_suptitle()
    'The 3 segments lie farthest apart in spend, and least in visits'
    """
    numbers = profile.numbers[:MOST_NAMED]
    if profile.means.shape[1] < 2 or len(profile.numbers) < 2:
        raise SettingError("parallel lines need two measures and two segments, and the profile has fewer.")
    scores = profile.scores.loc[profile.numbers]
    strongest = scores.abs().max().sort_values(ascending=False, kind="stable", na_position="last")
    kept = set(strongest.index[:MOST_MEASURES])
    measures = [name for name in profile.means.columns if name in kept]
    notes = ["Written in: what is typical of the highest and the lowest segment, in original units."]
    if left := profile.means.shape[1] - len(measures):
        notes.append(f"{left} more measures are in the tables.")
    if fewer := len(profile.numbers) - len(numbers):
        notes.append(f"{fewer} smaller segments are in the tables.")
    figure = new_figure(
        _title(strongest, len(profile.numbers)),
        " ".join(notes),
        form=(
            "A line for each segment over the measures, side by side: above the middle line it has more than everyone."
        ),
    )
    axes = figure.subplots()
    shown = scores.loc[numbers, measures].clip(-_FARTHEST, _FARTHEST)
    labels = _draw(axes, shown, [short_name(profile.name_of(number)) for number in numbers])
    _write_ends(axes, shown, profile.typical)
    push_apart(axes, labels)
    return figure


def _draw(axes: Axes, shown: pd.DataFrame, names: list[str]) -> list[Text]:
    positions = np.arange(len(shown.columns))
    dress(axes, y="standard deviations from the rest")
    axes.grid(visible=False, axis="y")
    axes.axhline(0.0, color=QUIET, linewidth=1.2, linestyle=(0, (4, 3)), zorder=1)
    room = _MARGIN + _LETTER * max(len(name) for name in names)
    axes.set_xlim(-0.4, -0.4 + (len(positions) - 0.6) / (1.0 - room))
    indent = _INDENT * float(np.ptp(axes.get_xlim()))
    labels = []
    for number, name in zip(shown.index.tolist(), names, strict=True):
        own = shown.loc[number].to_numpy(dtype=np.float64)
        axes.plot(
            positions,
            own,
            color=segment_colour(number),
            marker=segment_marker(number),
            markersize=8,
            markeredgecolor=PAPER,
            linewidth=2.2,
            alpha=0.9,
        )
        held = np.flatnonzero(~np.isnan(own))
        if held.size:
            labels.append(
                label_at(axes, (float(held[-1]) + indent, float(own[held[-1]])), name, size=AXIS, weight="bold")
            )
    upright = len(positions) > _UPRIGHT
    texts = [str(name) if upright else wrapped(str(name), 12) for name in shown.columns]
    axes.set_xticks(positions, texts, rotation=90 if upright else 0, fontsize=LABEL)
    low, high = float(np.nanmin(shown)), float(np.nanmax(shown))
    margin = 0.12 * (high - low or 1.0)
    axes.set_ylim(low - margin, high + margin)
    return labels


def _write_ends(axes: Axes, shown: pd.DataFrame, typical: pd.DataFrame) -> None:
    for position, name in enumerate(shown.columns):
        own = shown[name].to_numpy(dtype=np.float64)
        values = typical.loc[shown.index, name].to_numpy(dtype=np.float64)
        if np.isnan(own).all():
            continue
        for row, offset, side in ((int(np.nanargmax(own)), _GAP, "bottom"), (int(np.nanargmin(own)), -_GAP, "top")):
            axes.annotate(
                plain_number(float(values[row])),
                (position, own[row]),
                xytext=(0, offset),
                textcoords="offset points",
                ha="center",
                va=side,
                fontsize=SMALL if len(shown.columns) <= _UPRIGHT else 8,
                color=INK,
            )


def _title(strongest: "pd.Series[float]", segments: int) -> str:
    first, last = strongest.index[0], strongest.index[-1]
    return f"The {segments} segments lie farthest apart in {first}, and least in {last}"
