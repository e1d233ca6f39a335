"""A figure in words, for people who do not see it."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.collections import PathCollection
from matplotlib.figure import Figure
from matplotlib.text import Text

from gauger.draw.style import PlainFigure
from gauger.wording import first_up, listed, plural, visible

_MOST_PANELS, _MOST_WORDS = 9, 24
"""Panels told one by one, and words in them that are read out: an alternative text is heard at one go; judgement."""


def describe(figure: Figure) -> str:
    """Tell what a figure shows to somebody who cannot see it: its finding, how it is built, axes, words and note.

    Parameters
    ----------
    figure : matplotlib.figure.Figure
        One of ours; of others only what their axes say is told.

    Returns
    -------
    str
        Sentences of plain text.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(6), "visits": [1, 2, 3, 41, 42, 43], "spend": [5, 6, 5, 30, 31, 33]})
    >>> profile = gauger.profile(gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2))
    >>> gauger.draw.describe(gauger.draw.profile_bars(profile)).split(". ")[0]
    "Strongest contrast: segment 2 has 1.9 times everyone's visits"
    """
    if not (isinstance(figure, PlainFigure) and figure.drawn):
        figure.draw_without_rendering()
    parts = [figure.get_suptitle()]
    parts += [figure.form] if isinstance(figure, PlainFigure) else []
    shown = [axes for axes in figure.axes if axes.axison or axes.texts]
    parts += [_panel(axes) for axes in shown[:_MOST_PANELS]]
    if len(shown) > _MOST_PANELS:
        left = len(shown) - _MOST_PANELS
        parts.append(f"{left} more {plural(left, 'panel')} of the same kind")
    parts.append(" ".join(figure.get_supxlabel().split()))
    return visible(" ".join(_sentence(" ".join(part.split())) for part in parts if part))


def _panel(axes: Axes) -> str:
    """The title, axes and words of a panel; how many points, where there are any."""
    title = " ".join(filter(None, (axes.get_title(loc) for loc in ("left", "center", "right"))))
    parts = [_along(axes, "x"), _along(axes, "y")] if axes.axison else []
    points = sum(int(np.shape(one.get_offsets())[0]) for one in axes.collections if isinstance(one, PathCollection))
    parts += [f"{points:,} {plural(points, 'point')}"] if points > 1 else []
    words = [text.get_text() for text in axes.texts if text.get_visible() and text.get_text().strip()]
    parts += [f"it says {listed(map(_one_line, words), most=_MOST_WORDS)}"] if words else []
    told = "; ".join(filter(None, parts))
    return f"{title}: {told}" if title and told else title or first_up(told)


def _along(axes: Axes, which: str) -> str:
    """What an axis measures and from where to where it goes, or what stands along it."""
    axis = axes.xaxis if which == "x" else axes.yaxis
    low, high = sorted(axis.get_view_interval())
    labels = zip(axis.get_ticklocs(), axis.get_ticklabels(), strict=False)
    ticks = [_one_line(label) for at, label in labels if low <= at <= high and label.get_text().strip()]
    name = axis.get_label_text()
    way = "across" if which == "x" else "up"
    if not ticks or not axis.get_visible():
        return f"{way}, {name}" if name else ""
    if _are_numbers(ticks) and len(ticks) > 1:
        return f"{way}, {name or 'values'} from {ticks[0]} to {ticks[-1]}"
    return f"{way}, {f'{name}: ' if name else ''}{listed(ticks, most=_MOST_WORDS)}"


def _are_numbers(ticks: list[str]) -> bool:
    return all(any(sign.isdigit() for sign in tick) and not any(sign.isalpha() for sign in tick) for tick in ticks)


def _one_line(text: Text | str) -> str:
    written = text if isinstance(text, str) else text.get_text()
    return " ".join(written.split())


def _sentence(text: str) -> str:
    return text if text.endswith((".", "?", "!")) else f"{text}."
