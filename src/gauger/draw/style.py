"""The look of every figure: size, colours, markers, titles and notes."""

import textwrap
import warnings

from matplotlib.axes import Axes
from matplotlib.backend_bases import RendererBase
from matplotlib.figure import Figure
from matplotlib.layout_engine import ConstrainedLayoutEngine
from matplotlib.text import Text
from matplotlib.ticker import FixedFormatter

from gauger.wording import visible

INK = "#26303a"
QUIET = "#7d8791"
FAINT = "#e3e7ea"
PAPER = "#ffffff"
ACCENT = "#b24b00"
UNASSIGNED_COLOUR = "#a9b0b6"

# Twelve colours picked to stay apart, from each other and on white, with and without each kind of colour blindness.
SEGMENT_COLOURS = (
    "#b24b00",
    "#4e0efa",
    "#06d1fd",
    "#faa639",
    "#782a7a",
    "#1f8dba",
    "#d7793d",
    "#36baa6",
    "#90261e",
    "#986277",
    "#5223b9",
    "#bd5dfe",
)
DIVERGING = ("#1f5f99", "#9cc3e0", PAPER, "#f2b48a", "#b24b00")
SEGMENT_MARKERS = ("o", "s", "^", "D", "v", "P", "X", "p", "<", ">", "h", "*")

_OWN_FORMULA = "$\\mathdefault"
_WIDTH, _HEIGHT, _DPI = 12.8, 8.0, 100
"""Inches, and pixels an inch: 1280 x 800."""

_NOTE_WIDTH = 165
"""Letters of a line of a note."""


class PlainFigure(Figure):
    """A figure whose texts are texts: a dollar in the name of a column begins no formula, control signs are written
    out.

    Formatters of logarithmic axes write formulas of their own, which stay. A sign that the font lacks is a box.
    """

    def draw(self, renderer: RendererBase) -> None:
        for axes in self.axes:
            for axis in (axes.xaxis, axes.yaxis):
                labels = axis.get_major_formatter()
                if isinstance(labels, FixedFormatter):
                    labels.seq = [visible(str(label)) for label in labels.seq]
        for text in self.findobj(Text):
            assert isinstance(text, Text)
            written = text.get_text()
            if "$" in written and not written.startswith(_OWN_FORMULA):
                text.set_parse_math(False)
            if visible(written) != written:
                text.set_text(visible(written))
        with warnings.catch_warnings():
            warnings.filterwarnings("ignore", message="Glyph .* missing")
            super().draw(renderer)


def new_figure(title: str, note: str = "") -> Figure:
    """An empty figure of 1280 x 800 pixels with its finding as the title and, small below, what it leaves out."""
    layout = ConstrainedLayoutEngine(w_pad=0.18, h_pad=0.14, wspace=0.05, hspace=0.06)
    figure = PlainFigure(figsize=(_WIDTH, _HEIGHT), dpi=_DPI, layout=layout, facecolor=PAPER)
    figure.suptitle(title, x=0.02, ha="left", fontsize=16, fontweight="bold", color=INK, wrap=True)
    if note:
        figure.supxlabel(textwrap.fill(note, _NOTE_WIDTH), x=0.02, ha="left", fontsize=10, color=QUIET)
    return figure


def dress(axes: Axes, *, title: str = "", x: str = "", y: str = "") -> None:
    """Quiet axes: two spines, light grid, small dark labels."""
    axes.set_title(title, loc="left", fontsize=12, color=INK)
    axes.set_xlabel(x, fontsize=11, color=INK)
    axes.set_ylabel(y, fontsize=11, color=INK)
    axes.tick_params(colors=QUIET, labelcolor=INK, labelsize=10, length=3)
    axes.grid(visible=True, color=FAINT, linewidth=0.8)
    axes.set_axisbelow(True)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axes.spines[side].set_color(QUIET)


def as_cells(axes: Axes, columns: int, rows: int) -> None:
    """Axes of an image as a table of cells: no spines, and light lines between."""
    axes.tick_params(length=0)
    for side in axes.spines.values():
        side.set_visible(False)
    axes.set_xticks([position - 0.5 for position in range(columns + 1)], minor=True)
    axes.set_yticks([position - 0.5 for position in range(rows + 1)], minor=True)
    axes.grid(which="minor", color=PAPER, linewidth=1.5)
    axes.tick_params(which="minor", length=0)


def segment_colour(number: int) -> str:
    """The colour of a segment, the same in every figure; grey for the unassigned."""
    return SEGMENT_COLOURS[(number - 1) % len(SEGMENT_COLOURS)] if number > 0 else UNASSIGNED_COLOUR


def segment_marker(number: int) -> str:
    """The marker of a segment, so that colour is never the only sign."""
    return SEGMENT_MARKERS[(number - 1) % len(SEGMENT_MARKERS)] if number > 0 else "x"
