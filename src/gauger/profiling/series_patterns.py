"""What pattern a series takes, in a word: rising, falling, seasonal, flat, uneven, or with a spike or a dip."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]

_STEEP = 0.15
"""A share of its level by which a series must climb to rise or fall: chosen by us."""

_WAVY = 0.10
"""A wave's height, as a share of the level, that is a season: chosen by us."""

_SHARE = 0.5
"""The share of the variance that a season must tell: chosen by us."""

_SPIKE = 8.0
"""How many usual steps a spike stands out: chosen by us."""

_EVEN = 0.25
"""The share of its level that a flat series keeps within, up or down: chosen by us."""

_LEAST_PERIODS = 8
"""Fewer periods have no pattern to tell."""

_FASTEST = 4
"""Periods of the shortest wave that counts as a season."""


@dataclass(frozen=True)
class SeriesPattern:
    """`word` is the shape, `text` the same with its figures."""

    word: str
    text: str


def pattern_of(values: Values, periods: Sequence[str]) -> SeriesPattern:
    """The pattern of one series (n_periods,), such as the mean of a segment's, and when it is highest.

    In this order: "spike" or "dip" (up to three neighbouring periods far above or below all others), "seasonal" (one
    wave explains at least half of what the line through all leaves, and swings by a tenth of the level or more),
    "rising" or "falling" (the line climbs or falls by 15 % of the level or more), "flat" (within a quarter of its level
    up and down), else "uneven". "short" for fewer than eight periods.
    """
    n = len(values)
    if n < _LEAST_PERIODS:
        return SeriesPattern("short", f"short: {n} periods")
    level = float(np.abs(values).mean()) or 1.0
    spike = _spike(values)
    if spike is not None:
        word = "spike" if values[spike] > np.median(values) else "dip"
        return SeriesPattern(word, f"{word} around {periods[spike]}")
    along = np.arange(n) - (n - 1) / 2.0
    slope = float(along @ values) / float(along @ along)
    climb = slope * (n - 1) / level
    rest = values - values.mean() - slope * along
    share, wave, waves = _wave(rest)
    if share >= _SHARE and float(np.ptp(wave)) / level >= 2.0 * _WAVY:
        highest, lowest = periods[int(wave.argmax())], periods[int(wave.argmin())]
        often = f"every {n / waves:.0f} periods" if waves > 1 else "one wave"
        return SeriesPattern("seasonal", f"seasonal, {often}: high near {highest}, low near {lowest}")
    if abs(climb) >= _STEEP:
        word = "rising" if climb > 0.0 else "falling"
        return SeriesPattern(word, f"{word}: {climb:+.0%} of its level from first to last")
    if float(np.ptp(values)) / 2.0 / level <= _EVEN:
        return SeriesPattern("flat", f"flat: within {float(np.ptp(values)) / 2.0 / level:.0%} of its level")
    highest, lowest = periods[int(values.argmax())], periods[int(values.argmin())]
    return SeriesPattern("uneven", f"uneven: highest {highest}, lowest {lowest}")


def _spike(values: Values) -> int | None:
    """The middle of the one place where the series leaves its usual range."""
    gaps = np.abs(values - np.median(values))
    usual = float(np.median(gaps))
    far = np.flatnonzero(gaps > _SPIKE * usual) if usual > 0.0 else np.flatnonzero(gaps > 0.0)
    if 0 < len(far) <= 3 and far[-1] - far[0] < 3:
        return int(far[np.abs(gaps[far]).argmax()])
    return None


def _wave(rest: Values) -> tuple[float, Values, int]:
    """The share of the variance that the strongest wave explains, that wave, and how often it comes."""
    n = len(rest)
    power = np.fft.rfft(rest)
    slowest, fastest = 1, max(1, n // _FASTEST)
    strongest = slowest + int(np.abs(power[slowest : fastest + 1]).argmax())
    alone = np.zeros_like(power)
    alone[strongest] = power[strongest]
    wave = np.fft.irfft(alone, n)
    total = float(rest @ rest)
    return (float(wave @ wave) / total if total > 0.0 else 0.0), wave, strongest
