"""A profile as a heat map, with every value written in."""

import numpy as np
import pandas as pd
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.figure import Figure

from gauger.appearance import DIVERGING, INK, PAPER
from gauger.draw.figure_typeface import AXIS, SMALL
from gauger.draw.labels import short_name, wrapped
from gauger.draw.planes import MOST_NAMED
from gauger.draw.style import as_cells, new_figure
from gauger.errors import SettingError
from gauger.profiling import EVERYONE, Profile

OF = ("scores", "index")
MOST_ROWS = 20
"""Measures whose names fit."""

_COLOURS = LinearSegmentedColormap.from_list("difference", DIVERGING)
_STRONGEST_SCORE, _STRONGEST_RATIO = 2.0, 4.0
"""From which score, and ratio to everyone, colours are strongest: well beyond a large effect."""

_ROOM = 150
"""Letters that the names of all columns share."""


def profile_heat(profile: Profile, of: str = "scores") -> Figure:
    """Draw every measure (down) of every segment (across) by how far it is from the rest.

    Orange is more than the rest, blue less; colours are strongest from 2 standard deviations, or from four times and a
    quarter of everyone's mean. At most 20 measures, those of the strongest difference, and 20 segments; a note says how
    many are not drawn.

    Parameters
    ----------
    profile : Profile
        The profile.
    of : {"scores", "index"}
        Standardised differences from the rest, or the mean against everyone = 100.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        For another `of`, and for a profile without measures.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> table["household"] = ["alone"] * 5 + ["family"] * 7
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> profile = gauger.profile(gauger.segment_by_kmeans(features, 3), table)
    >>> gauger.draw.profile_heat(profile).get_suptitle()
    'segment 3 differs most from the rest: spend is 15.8 standard deviations higher'
    """
    if of not in OF:
        raise SettingError.not_one_of("of", of, OF)
    if profile.means.columns.empty:
        raise SettingError("the profile has no measure to draw: every column is a category, a date or a key.")
    rows = [row for row in profile.means.index if row != EVERYONE]
    numbers = profile.numbers[:MOST_NAMED]
    rows = [row for row in rows if row in numbers or not isinstance(row, int)]
    strongest = (
        profile.scores.loc[profile.numbers].abs().max().sort_values(ascending=False, kind="stable", na_position="last")
    )
    kept = set(strongest.index[:MOST_ROWS])
    measures = [name for name in profile.means.columns if name in kept]
    values = (profile.scores if of == "scores" else profile.index).loc[rows, measures].T
    notes = [_NOTES[of]]
    if left := profile.means.shape[1] - len(measures):
        notes.append(f"{left} more measures are in the tables.")
    if fewer := len(profile.numbers) - len(numbers):
        notes.append(f"{fewer} smaller segments are in the tables.")
    figure = new_figure(
        _title(profile, strongest),
        " ".join(notes),
        form=(
            "A table of cells: a row a measure, a column a segment, the stronger the colour the farther from "
            "everyone else."
        ),
    )
    _draw(figure, values, [profile.name_of(row) for row in rows], of)
    return figure


_NOTES = {
    "scores": "Difference from everyone else in standard deviations (0.2 is little, 0.8 much); by ranks for measures "
    "with a long tail.",
    "index": "Mean against everyone = 100.",
}


def _draw(figure: Figure, values: pd.DataFrame, names: list[str], of: str) -> None:
    axes = figure.subplots()
    given = values.to_numpy(dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        strength = given / _STRONGEST_SCORE if of == "scores" else np.log(given / 100.0) / np.log(_STRONGEST_RATIO)
    axes.imshow(np.ma.masked_invalid(np.clip(strength, -1.0, 1.0)), cmap=_COLOURS, vmin=-1.0, vmax=1.0, aspect="auto")
    axes.set_xticks(range(len(names)), [wrapped(name, max(_ROOM // len(names), 8)) for name in names], color=INK)
    axes.set_yticks(range(len(values)), list(values.index), color=INK)
    axes.xaxis.tick_top()
    axes.tick_params(labelsize=AXIS if len(names) <= 8 else 9)
    as_cells(axes, len(names), len(values))
    for (row, column), value in np.ndenumerate(given):
        dark = abs(strength[row, column]) > 0.7
        axes.text(
            column,
            row,
            "–" if np.isnan(value) else f"{value:+.2f}" if of == "scores" else f"{value:,.0f}",
            ha="center",
            va="center",
            fontsize=AXIS if len(names) <= 12 else SMALL,
            color=PAPER if dark else INK,
        )


def _title(profile: Profile, strongest: "pd.Series[float]") -> str:
    measure = strongest.index[0]
    scores = profile.scores.loc[profile.numbers, measure]
    if len(profile.numbers) < 2 or scores.isna().all():
        return "One segment: there is no rest to differ from" if len(profile.numbers) < 2 else "Nothing to compare"
    number = scores.abs().idxmax()
    name, score = short_name(profile.name_of(number)), float(scores[number])
    if np.isinf(score):
        return f"{name} differs most from the rest: nobody else is like it in {measure}"
    side = "higher" if score > 0.0 else "lower"
    return f"{name} differs most from the rest: {measure} is {abs(score):.1f} standard deviations {side}"
