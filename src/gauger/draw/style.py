"""The look of every figure: its size, its title and note, its axes; and texts that are texts."""

import base64
import html
import io
import textwrap
import warnings

from matplotlib.axes import Axes
from matplotlib.backend_bases import RendererBase
from matplotlib.figure import Figure
from matplotlib.layout_engine import ConstrainedLayoutEngine
from matplotlib.text import Text
from matplotlib.ticker import FixedFormatter

from gauger.appearance import FAINT, INK, PAPER, QUIET
from gauger.draw.figure_typeface import AXIS, LABEL, PANEL, SMALL, TITLE, set_text, set_ticks
from gauger.wording import visible

_WIDTH, _HEIGHT, _DPI = 12.8, 8.0, 100
"""Inches, and pixels an inch: 1280 x 800."""

_NOTE_WIDTH = 185
"""Letters of a line of a note."""


class PlainFigure(Figure):
    """A figure whose texts are texts: a dollar in the name of a column begins no formula, control signs are written
    out.

    A sign that the typeface lacks is a box. `form` says in a sentence how the figure is to be read.
    """

    form = ""
    drawn = False
    _dressed: frozenset[int] = frozenset()

    def draw(self, renderer: RendererBase) -> None:
        for axes in self.axes:
            if id(axes) not in self._dressed:
                set_ticks(axes)
                self._dressed |= {id(axes)}
            for axis in (axes.xaxis, axes.yaxis):
                labels = axis.get_major_formatter()
                if isinstance(labels, FixedFormatter):
                    labels.seq = [visible(str(label)) for label in labels.seq]
        for text in self.findobj(Text):
            assert isinstance(text, Text)
            written = text.get_text()
            if "$" in written:
                text.set_parse_math(False)
            if visible(written) != written:
                text.set_text(visible(written))
            set_text(text)
        with warnings.catch_warnings():
            warnings.filterwarnings("ignore", message="Glyph .* missing")
            super().draw(renderer)
        self.drawn = True

    def _repr_html_(self) -> str:
        """The figure in a notebook, which by itself shows those of pyplot alone; its words are for who cannot see."""
        stream = io.BytesIO()
        self.savefig(stream, format="png")
        words = html.escape(visible(f"{self.get_suptitle()}. {self.form}"), quote=True)
        data = base64.b64encode(stream.getvalue()).decode("ascii")
        return f'<img style="width:100%;max-width:80em" alt="{words}" src="data:image/png;base64,{data}">'


def new_figure(title: str, note: str = "", *, form: str) -> PlainFigure:
    """An empty figure of 1280 x 800 pixels with its finding as the title and, small below, what it leaves out.

    `form` is what somebody who cannot see it needs to know of how it shows the finding, in a sentence.
    """
    layout = ConstrainedLayoutEngine(w_pad=0.18, h_pad=0.14, wspace=0.05, hspace=0.06)
    figure = PlainFigure(figsize=(_WIDTH, _HEIGHT), dpi=_DPI, layout=layout, facecolor=PAPER)
    figure.form = form
    figure.suptitle(title, x=0.02, ha="left", fontsize=TITLE, fontweight="bold", color=INK, wrap=True)
    if note:
        figure.supxlabel(textwrap.fill(note, _NOTE_WIDTH), x=0.02, ha="left", fontsize=LABEL, color=QUIET)
    return figure


def dress(axes: Axes, *, title: str = "", x: str = "", y: str = "") -> None:
    """Quiet axes: one dark line at the most on each side, a grid lighter than any data, small dark labels."""
    axes.set_title(title, loc="left", fontsize=PANEL, color=INK)
    axes.set_xlabel(x, fontsize=AXIS, color=INK)
    axes.set_ylabel(y, fontsize=AXIS, color=INK)
    axes.tick_params(colors=QUIET, labelcolor=INK, labelsize=SMALL, length=3)
    axes.grid(visible=True, color=FAINT, linewidth=0.8)
    axes.set_axisbelow(True)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axes.spines[side].set_color(QUIET)
        axes.spines[side].set_linewidth(0.7)


def as_cells(axes: Axes, columns: int, rows: int) -> None:
    """Axes of an image as a table of cells: no spines, and light lines between."""
    axes.tick_params(length=0)
    for side in axes.spines.values():
        side.set_visible(False)
    axes.set_xticks([position - 0.5 for position in range(columns + 1)], minor=True)
    axes.set_yticks([position - 0.5 for position in range(rows + 1)], minor=True)
    axes.grid(which="minor", color=PAPER, linewidth=1.5)
    axes.tick_params(which="minor", length=0)
