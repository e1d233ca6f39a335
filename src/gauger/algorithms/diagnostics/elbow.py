"""The elbow of a falling curve: where going on stops paying, and how sharp that is."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

_DEEP = 0.6
"""Of bends this near to the sharpest the last one counts: judgement."""


@dataclass(frozen=True)
class Elbow:
    """The count at the elbow and its `strength`: 0 when the curve goes on falling as before, 1 when it stops dead.

    `count` is where the curve bends most sharply, `by_chord` where it is farthest below the line between its ends; on a
    curve with a real elbow the two are the same.
    """

    count: int
    strength: float
    by_chord: int


def find_elbow(counts: Sequence[int], wcss: Sequence[float]) -> Elbow | None:
    """The count where the sum of squares stops falling as steeply as it did.

    Counts well below the straight line between the curve's ends (Satopää et al. 2011) are candidates; among them the
    sharpest bend wins. A cloud without groups falls like a power of the count, a straight line when both are
    logarithms: a bend's strength is 1 - (slope after) / (slope before) of that line, between 0 and 1. None when there
    are fewer than three counts or the curve does not fall.

    Satopää, Albrecht, Irwin & Raghavan (2011), 31st International Conference on Distributed Computing Systems
    Workshops, 166-171.
    """
    x, y = np.asarray(counts, dtype=float), np.asarray(wcss, dtype=float)
    if len(x) < 3 or not y[0] > y[-1]:
        return None
    depth = 1.0 - (x - x[0]) / (x[-1] - x[0]) - (y - y[-1]) / (y[0] - y[-1])
    slopes = -np.diff(np.log(np.maximum(y, y[0] * 1e-12))) / np.diff(np.log(x))
    before, after = slopes[:-1], slopes[1:]
    bend = np.divide(before - after, before, out=np.zeros(len(before)), where=before > 0.0)
    inner = depth[1:-1]
    at = int(np.where(inner >= _DEEP * inner.max(), bend, -np.inf).argmax())
    return Elbow(int(x[at + 1]), float(np.clip(bend[at], 0.0, 1.0)), int(x[int(inner.argmax()) + 1]))
