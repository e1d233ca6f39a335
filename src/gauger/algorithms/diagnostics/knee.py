"""The knee of a rising curve: where it turns upwards, and how sharply."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

CLEAR = 0.6
"""The strength from which a knee is said to be there: judgement, after curves with and without one (tests)."""

_HELD = 0.99
"""Beyond this share of the values the curve is held level: a few far points make no knee; judgement."""


@dataclass(frozen=True)
class Knee:
    """Where a sorted curve turns upwards: its `height` there, the `share` of values up to it, and its `strength`.

    The strength is how far the curve sags below the straight line between its ends, 0 for a line, 1 for a curve that
    lies flat and then stands up; from 0.6 it is clear.
    """

    height: float
    share: float
    strength: float

    @property
    def clear(self) -> bool:
        """Whether the curve turns sharply enough to go by it."""
        return self.strength >= CLEAR


def find_knee(rising: NDArray[np.float64]) -> Knee | None:
    """The knee of values (n,) in ascending order: where the curve, brought into the unit square, is farthest below its
    diagonal. The highest 1 % count as no more than the value below them, for a few extremes would decide the square.
    None when there are fewer than three values, they do not rise, or the corner is at 0, where points are copies.

    Satopää, Albrecht, Irwin & Raghavan (2011), 31st International Conference on Distributed Computing Systems
    Workshops, 166-171.
    """
    held = np.minimum(rising, np.quantile(rising, _HELD, method="lower")) if len(rising) >= 3 else rising
    if len(held) < 3 or not held[-1] > held[0]:
        return None
    share = np.linspace(0.0, 1.0, len(held))
    sag = share - (held - held[0]) / (held[-1] - held[0])
    at = int(sag.argmax())
    if held[at] == 0.0:
        return None
    return Knee(float(held[at]), float(share[at]), float(np.clip(sag[at], 0.0, 1.0)))
