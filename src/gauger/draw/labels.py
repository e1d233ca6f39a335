"""Labels that do not overprint: measured as drawn, then pushed apart."""

import textwrap
from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.text import Text
from matplotlib.transforms import Bbox, IdentityTransform, ScaledTranslation
from numpy.typing import NDArray

from gauger.appearance import INK
from gauger.wording import shortened

_PASSES, _STEP = 300, 2.0
"""Passes of pushing labels apart, and how many pixels at a time."""

_MARK = 7.0
"""Pixels around a mark that labels keep off."""

_FAR = 14.0
"""Pixels from which a label gets a line to its mark."""

_SMALLEST = 7.0
"""Points below which no label shrinks: where room is so scarce, labels stay as near as they can."""

_LONGEST_NAME = 30
"""Letters of the longest name before it is cut."""

_BREAK = "\x1f"

Point = NDArray[np.float64]
Span = tuple[float, float]


def short_name(name: str) -> str:
    """A segment's name as far as a figure has room for it."""
    return shortened(name, _LONGEST_NAME)


def wrapped(text: str, width: int, most: int = 4) -> str:
    """Text in lines of at most so many letters, broken at spaces and after underscores, dots where it is too long."""
    lines = textwrap.wrap(text.replace("_", f"_{_BREAK} "), width, max_lines=most, placeholder="…")
    return "\n".join(line.replace(f"{_BREAK} ", "").replace(_BREAK, "") for line in lines)


def push_apart(axes: Axes, labels: Sequence[Text], marks: Sequence[Point] | Point = ()) -> None:
    """Move labels up and down, by as little as it takes, until no two overlap; a line leads back from far ones.

    Where there is no room they shrink. They stay inside the axes, one that would leave them to the right stands to the
    left of its point, and off `marks`, points of the data that must stay in sight.
    """
    figure = axes.get_figure(root=True)
    assert figure is not None
    for label in labels:
        label.set_in_layout(False)  # the frame must not move again with its labels
    renderer = FigureCanvasAgg(figure).get_renderer()  # type: ignore[no-untyped-call]
    figure.draw_without_rendering()
    frame = axes.get_window_extent(renderer)
    for label in labels:
        if label.get_window_extent(renderer).x1 > frame.x1:
            _turn_left(label)
        beyond = frame.x0 - label.get_window_extent(renderer).x0
        if beyond > 0.0:
            label.set_transform(label.get_transform() + ScaledTranslation(beyond, 0.0, IdentityTransform()))
    boxes = [label.get_window_extent(renderer).padded(3.0) for label in labels]
    anchors = [axes.transData.transform(label.get_position()) for label in labels]
    fixed = [axes.transData.transform(mark) for mark in marks]
    shifts = _shifts(boxes, _in_the_way(boxes, anchors, fixed), frame)
    if _covered(boxes, shifts) and min(float(label.get_fontsize()) for label in labels) > _SMALLEST:
        for label in labels:
            label.set_fontsize(max(float(label.get_fontsize()) - 1.5, _SMALLEST))
        push_apart(axes, labels, marks)
        return
    back = axes.transData.inverted()
    for label, box, shift in zip(labels, boxes, shifts, strict=True):
        if shift:
            at = label.get_position()
            x, y = axes.transData.transform(at)
            label.set_position(tuple(back.transform((x, y + shift))))
            if abs(shift) > _FAR:
                start = back.transform((box.x0 + 0.12 * box.width, y + shift))
                axes.plot([at[0], start[0]], [at[1], start[1]], color=INK, linewidth=0.9, zorder=3)


def _covered(boxes: Sequence[Bbox], shifts: Sequence[float]) -> bool:
    """Whether two labels still cover each other."""
    moved = [box.translated(0.0, shift) for box, shift in zip(boxes, shifts, strict=True)]
    return any(one.overlaps(other) for at, one in enumerate(moved) for other in moved[:at])


def _turn_left(label: Text) -> None:
    """Let a label end at its point instead of beginning there, its indent on the other side."""
    text = label.get_text()
    if label.get_horizontalalignment() == "left":
        label.set_horizontalalignment("right")
        label.set_text(text.strip() + " " * (len(text) - len(text.lstrip())))


def _in_the_way(boxes: Sequence[Bbox], anchors: Sequence[Point], marks: Sequence[Point]) -> list[list[Span]]:
    """For each box the heights of the marks that stand beside it, its own left aside."""
    return [
        [
            (float(y) - _MARK, float(y) + _MARK)
            for x, y in marks
            if box.x0 < x + _MARK and x - _MARK < box.x1 and abs(x - anchor[0]) + abs(y - anchor[1]) > 1.0
        ]
        for box, anchor in zip(boxes, anchors, strict=True)
    ]


def _shifts(boxes: Sequence[Bbox], marks: Sequence[Sequence[Span]], frame: Bbox) -> list[float]:
    """How far to move each box up so that none overlaps another, nor one of its marks if there is room.

    One after the other gives way by a little; marks are heeded first, and then only labels.
    """
    shifts = [0.0] * len(boxes)
    pairs = [
        (i, j)
        for i, one in enumerate(boxes)
        for j, other in enumerate(boxes[:i])
        if one.x0 < other.x1 and other.x0 < one.x1
    ]
    for heeded in (marks, [()] * len(boxes)):
        for _ in range(_PASSES):
            before = shifts.copy()
            for i, j in pairs:
                one, other = boxes[i], boxes[j]
                if one.y0 + shifts[i] < other.y1 + shifts[j] and other.y0 + shifts[j] < one.y1 + shifts[i]:
                    up, down = (i, j) if one.y0 + shifts[i] >= other.y0 + shifts[j] else (j, i)
                    shifts[up] += _STEP
                    shifts[down] -= _STEP
            for i, box in enumerate(boxes):
                for low, high in heeded[i]:
                    if box.y0 + shifts[i] < high and low < box.y1 + shifts[i]:
                        shifts[i] += _STEP if box.y0 + box.y1 + 2.0 * shifts[i] >= low + high else -_STEP
                shifts[i] = min(max(shifts[i], frame.y0 - box.y0), frame.y1 - box.y1)
            if shifts == before:
                break
    return shifts
