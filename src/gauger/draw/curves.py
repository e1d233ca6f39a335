"""Axes that follow what was done to a feature: logarithmic for one under a logarithm, ticks in original units."""

from collections.abc import Callable, Iterator
from typing import Literal

import numpy as np
from matplotlib.axes import Axes
from matplotlib.ticker import FixedFormatter, FixedLocator, NullLocator
from numpy.typing import NDArray

from gauger.features import FeatureSet, Power, Transform
from gauger.wording import plain_number

_APART = 1.0 / 7.0
"""The least distance between two ticks, as a share of the axis."""

_STEPS = (1.0, 5.0, 2.0, 3.0)
"""Which multiples of powers of ten get a tick while there is room, in this order."""

Values = NDArray[np.float64]
Span = tuple[float, float]


class Curve:
    """A feature's transform as an axis has it: the same curve, mirrored below zero where it has no values there."""

    def __init__(self, step: Transform | Power) -> None:
        self._step = step
        self._mirrored = isinstance(step, Transform)

    def forward(self, values: Values) -> Values:
        """From original units to where they stand on the axis."""
        return self._through(self._step.apply, values)

    def back(self, values: Values) -> Values:
        """From where values stand on the axis to original units."""
        return self._through(self._step.undo, values)

    def _through(self, way: Callable[[Values], Values], values: Values) -> Values:
        given = np.asarray(values, dtype=np.float64)
        with np.errstate(invalid="ignore", over="ignore"):
            return np.copysign(way(np.abs(given)), given) if self._mirrored else way(given)


def curve_of(features: FeatureSet, name: str) -> Curve | None:
    """The curve of a feature, None where it was not transformed."""
    steps = [step for step in features.treatments.get(name, ()) if isinstance(step, (Transform, Power))]
    return Curve(steps[0]) if steps else None


def span_back(curve: Curve | None, span: Span) -> Span:
    """Limits on an axis as original units have them."""
    if curve is None:
        return span
    low, high = (float(end) for end in curve.back(np.array(span)))
    return low, high


def span_on(curve: Curve | None, span: Span) -> Span:
    """Limits in original units as they stand on an axis."""
    if curve is None:
        return span
    low, high = (float(end) for end in curve.forward(np.array(span)))
    return low, high


def even_steps(curve: Curve | None, span: Span, steps: int) -> Values:
    """Edges (steps + 1,) in original units that are as far apart as each other on the axis."""
    edges = np.linspace(*span_on(curve, span), steps + 1)
    return edges if curve is None else curve.back(edges)


def follow(axes: Axes, which: Literal["x", "y"], curve: Curve | None, span: Span) -> None:
    """Give an axis the scale of a curve and ticks at round numbers, `span` in original units."""
    if curve is None:
        return
    (axes.set_xscale if which == "x" else axes.set_yscale)("function", functions=(curve.forward, curve.back))
    axis = axes.xaxis if which == "x" else axes.yaxis
    ticks = _ticks(curve, span)
    axis.set_major_locator(FixedLocator(ticks))
    axis.set_major_formatter(FixedFormatter([_told(tick) for tick in ticks]))
    axis.set_minor_locator(NullLocator())


def _ticks(curve: Curve, span: Span) -> list[float]:
    """Round numbers in a span, none too near to another."""
    low, high = span_on(curve, span)
    chosen: dict[float, float] = {}
    for value in _candidates(span):
        at = float(curve.forward(np.array([value]))[0])
        if low <= at <= high and all(abs(at - other) >= _APART * (high - low) for other in chosen.values()):
            chosen[value] = at
    return sorted(chosen)


def _candidates(span: Span) -> Iterator[float]:
    """Zero, then powers of ten, then their multiples, on both sides of zero, the largest first."""
    yield 0.0
    largest = max(abs(span[0]), abs(span[1]))
    top = int(np.floor(np.log10(largest))) if largest > 0.0 else 0
    for step in _STEPS:
        for power in range(top, top - 7, -1):
            yield from (step * 10.0**power, -step * 10.0**power)


def _told(tick: float) -> str:
    return plain_number(tick) if abs(tick) >= 1.0 else f"{tick:g}"
