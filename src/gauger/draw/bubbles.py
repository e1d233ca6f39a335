"""Segments as bubbles: two measures place them, a third makes them large."""

import numpy as np
from matplotlib.figure import Figure
from numpy.typing import NDArray

from gauger.appearance import INK, QUIET, segment_colour
from gauger.draw.clouds import label_at
from gauger.draw.figure_typeface import PANEL
from gauger.draw.labels import push_apart, short_name
from gauger.draw.planes import MOST_NAMED
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError, UnknownColumnError
from gauger.profiling import EVERYONE, Profile
from gauger.wording import plain_number

CUSTOMERS = "customers"

_LARGEST, _SMALLEST = 6_400.0, 90.0
"""Areas of the largest and the smallest bubble, in square points: by eye."""


def profile_bubbles(profile: Profile, x: str | None = None, y: str | None = None, size: str | None = None) -> Figure:
    """Draw each segment's means of two measures as its position, and of a third as its area.

    The means of everyone are lines. Areas are in proportion to the means, for measures with a negative one to how far
    they are above the lowest.

    Parameters
    ----------
    profile : Profile
        The profile.
    x, y, size : str, optional
        The measures; by default the three that set segments apart most. `size` may be "customers".

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    UnknownColumnError
        For a measure that the profile does not have.
    SettingError
        When it has fewer than two.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> table["household"] = ["alone"] * 5 + ["family"] * 7
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> profile = gauger.profile(gauger.segment_by_kmeans(features, 3), table)
    >>> gauger.draw.profile_bubbles(profile).get_suptitle()
    'segment 3 is highest in visits and in spend'
    """
    names = list(profile.means.columns)
    if len(names) < 2:
        raise SettingError("bubbles need two measures, and the profile has not that many.")
    asked = [name for name in (x, y, size) if name is not None and name != CUSTOMERS]
    if not set(asked) <= set(names):
        raise UnknownColumnError.among(asked, [*names, CUSTOMERS])
    free = iter([name for name in profile.drivers.index if name not in asked])
    across, up = x or next(free), y or next(free)
    large = size or next(free, CUSTOMERS)
    numbers = profile.numbers[:MOST_NAMED]
    sizes = (profile.sizes if large == CUSTOMERS else profile.means).loc[numbers, large].to_numpy(dtype=np.float64)
    fewer = len(profile.numbers) - len(numbers)
    notes = [f"Area: {large}{'' if large == CUSTOMERS else ' (mean)'}. Dashed: everyone's means."]
    if fewer:
        notes.append(f"{fewer} smaller segments are left out.")
    figure = new_figure(
        _title(profile, across, up),
        " ".join(notes),
        form="A disc for each segment at its two means, its area as large as the third measure.",
    )
    axes = figure.subplots()
    dress(axes, x=f"{across} (mean)", y=f"{up} (mean)")
    *middles, everyone = profile.means.loc[[*numbers, EVERYONE], [across, up]].to_numpy(dtype=np.float64)
    for line, value in ((axes.axvline, everyone[0]), (axes.axhline, everyone[1])):
        line(value, color=QUIET, linewidth=1.2, linestyle=(0, (4, 3)), zorder=1)
    areas = _areas(sizes)
    labels = []
    for position in np.argsort(-areas, kind="stable").tolist():
        x_at, y_at = middles[position].tolist()
        if np.isnan(x_at) or np.isnan(y_at):
            continue
        colour = segment_colour(numbers[position])
        axes.scatter(x_at, y_at, s=areas[position], color=colour, alpha=0.55, edgecolor=INK, linewidth=1.2, zorder=2)
        axes.scatter(x_at, y_at, s=16, color=INK, zorder=3)
        text = short_name(profile.name_of(numbers[position]))
        text += f" ({plain_number(sizes[position])})" if not np.isnan(sizes[position]) else ""
        labels.append(label_at(axes, (x_at, y_at), f"   {text}", size=PANEL, weight="bold"))
    axes.margins(0.22)
    push_apart(axes, labels)
    return figure


def _areas(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Areas in square points: in proportion to the values, the largest the same in every figure."""
    known = values[~np.isnan(values)]
    if not known.size:
        return np.full(len(values), _SMALLEST)
    base = min(float(known.min()), 0.0)
    span = float(known.max()) - base
    shares = (values - base) / span if span > 0.0 else np.ones(len(values))
    return np.maximum(_LARGEST * np.nan_to_num(shares), _SMALLEST)


def _title(profile: Profile, across: str, up: str) -> str:
    own = profile.means.loc[profile.numbers]
    if len(own) < 2:
        return "One segment: its means are everyone's"
    first, second = (short_name(profile.name_of(own[name].idxmax())) for name in (across, up))
    if first == second:
        return f"{first} is highest in {across} and in {up}"
    return f"{first} is highest in {across}, {second} in {up}"
