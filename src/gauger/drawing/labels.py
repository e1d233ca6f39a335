"""Labels that do not overprint: measured as drawn, then pushed apart."""

from collections.abc import Sequence

from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.text import Text
from matplotlib.transforms import Bbox

from gauger.drawing.style import INK

_ROUNDS = 60
_FAR = 14.0


def push_apart(axes: Axes, labels: Sequence[Text]) -> None:
    """Move labels up and down, by as little as it takes, until no two overlap; a line leads back from far ones.

    They stay inside the axes; one that would leave them to the right stands to the left of its point.
    """
    figure = axes.get_figure(root=True)
    assert figure is not None
    canvas = FigureCanvasAgg(figure)
    canvas.draw()  # type: ignore[no-untyped-call]
    renderer = canvas.renderer
    frame = axes.get_window_extent(renderer)
    for label in labels:
        if label.get_window_extent(renderer).x1 > frame.x1:
            _turn_left(label)
    boxes = [label.get_window_extent(renderer).padded(3.0) for label in labels]
    shifts = _shifts(boxes, frame)
    back = axes.transData.inverted()
    for label, box, shift in zip(labels, boxes, shifts, strict=True):
        if shift:
            at = label.get_position()
            x, y = axes.transData.transform(at)
            label.set_position(tuple(back.transform((x, y + shift))))
            if abs(shift) > _FAR:
                start = back.transform((box.x0 + 0.12 * box.width, y + shift))
                axes.plot([at[0], start[0]], [at[1], start[1]], color=INK, linewidth=0.9, zorder=3)


def _turn_left(label: Text) -> None:
    """Let a label end at its point instead of beginning there, its indent on the other side."""
    text = label.get_text()
    if label.get_horizontalalignment() == "left":
        label.set_horizontalalignment("right")
        label.set_text(text.strip() + " " * (len(text) - len(text.lstrip())))


def _shifts(boxes: Sequence[Bbox], frame: Bbox) -> list[float]:
    """How far to move each box up so that none overlap, all within the frame."""
    shifts = [0.0] * len(boxes)
    for _ in range(_ROUNDS):
        moved = False
        for i, one in enumerate(boxes):
            for j in range(i + 1, len(boxes)):
                other = boxes[j]
                if one.translated(0, shifts[i]).overlaps(other.translated(0, shifts[j])):
                    up, down = (i, j) if one.y0 + shifts[i] >= other.y0 + shifts[j] else (j, i)
                    shifts[up] += 2.0
                    shifts[down] -= 2.0
                    moved = True
        for i, box in enumerate(boxes):
            shifts[i] = min(max(shifts[i], frame.y0 - box.y0), frame.y1 - box.y1)
        if not moved:
            break
    return shifts
