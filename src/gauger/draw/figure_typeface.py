"""The typeface of every figure: Source Sans, which a package brings, and where it lacks a sign, Matplotlib's own."""

from functools import cache

from matplotlib.axes import Axes
from matplotlib.font_manager import fontManager
from matplotlib.text import Text
from matplotlib.ticker import FuncFormatter, LogFormatter, ScalarFormatter

from gauger.appearance import FAMILY, typeface_file
from gauger.wording import plain_number

_CUTS = ("Regular", "Bold")

TITLE, PANEL, AXIS, LABEL, SMALL = 17.0, 13.0, 12.0, 11.0, 10.0
"""The type scale, in points at 100 pixels an inch: a figure's title, a panel's, an axis, a label in a panel, and notes
and ticks; a step of about a tenth, a larger one to the title."""


@cache
def family() -> list[str]:
    """The families that a text asks, one after the other, for each of its signs."""
    for cut in _CUTS:
        with typeface_file(cut) as path:
            fontManager.addfont(str(path))
    return [FAMILY, "DejaVu Sans"]


def set_ticks(axes: Axes) -> None:
    """Have the ticks of axes, those to come too, set in the typeface."""
    axes.tick_params(which="both", labelfontfamily=family())
    _set_powers(axes)


def set_text(text: Text) -> None:
    """Set a text in the typeface."""
    if text.get_fontfamily() != family():
        text.set_fontfamily(family())


def _set_powers(axes: Axes) -> None:
    """Say 1,000 and not a formula on logarithmic axes, whose powers would be set in another typeface."""
    for axis in (axes.xaxis, axes.yaxis):
        if isinstance(axis.get_major_formatter(), LogFormatter):
            axis.set_major_formatter(FuncFormatter(lambda value, _: plain_number(value)))
        elif isinstance(scalar := axis.get_major_formatter(), ScalarFormatter):
            scalar.set_useMathText(False)
