"""No two texts of any figure overprint: on the demo data, and on tables with few and many segments and features."""

from itertools import combinations

from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.text import Annotation, Text

import gauger

draw = gauger.draw

_TOUCHING = 1.0


def _overprinted(figure: Figure) -> list[tuple[str, str]]:
    """Pairs of texts whose frames share more than a hair, slanted ones by what they cover when upright."""
    canvas = FigureCanvasAgg(figure)
    canvas.draw()
    found = []
    for text in figure.findobj(Text):
        written = text.get_text().strip()
        if not written or not text.get_visible() or (isinstance(text, Annotation) and not text.check_if_drawn()):
            continue
        box = Text.get_window_extent(text, canvas.renderer)
        found.append((written, box.padded(-_TOUCHING)))
    return [(one, other) for (one, a), (other, b) in combinations(found, 2) if a.overlaps(b)]
