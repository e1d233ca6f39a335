"""Ties smoothed out: values that repeat, spread so that flags, levels, zeros and heaps make no valley by themselves."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

FEW_LEVELS = 5
"""A column of no more values than this is spread like one normal measure: a filter on its values says as much; tuned on
`benchmarks.advice`, on the families and seeds set aside for that."""

_ATOM_SHARE, _ATOM_SIZE = 0.003, 8
"""A value that fewer have (a share, and a number of rows) is no atom: judgement."""

_STANDS_OUT = 5.0
"""An atom is this many times as frequent as its four neighbours on average: judgement."""

_DILUTED = 2.0
"""An atom is spread until so many times as many others are around it: judgement."""

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Smoother:
    """The way from a column with ties to one without, and back.

    `levels` (m,) are the distinct values, `codes` (n,) say which each row has, `sizes` (m,) how many have it. Each
    level is spread from `low` (m,) up to `high` (m,); where `scores`, low and high are shares of a normal measure.
    """

    levels: Values
    codes: NDArray[np.intp]
    sizes: NDArray[np.intp]
    low: Values
    high: Values
    scores: bool

    @classmethod
    def of(cls, values: Values) -> "Smoother":
        """For values (n,)."""
        levels, codes, sizes = np.unique(values, return_inverse=True, return_counts=True)
        if len(levels) <= FEW_LEVELS:
            until = np.cumsum(sizes) / len(values)
            return cls(levels, codes, sizes, np.append(0.0, until[:-1]), until, scores=True)
        gaps = np.diff(levels)
        below, above = np.append(gaps[0], gaps), np.append(gaps, gaps[-1])
        low, high = levels - np.minimum(below, 2.0 * above) / 2.0, levels + np.minimum(above, 2.0 * below) / 2.0
        for atom in _atoms(sizes):
            low[atom], high[atom] = _reach(levels, sizes, atom)
        alone = sizes == 1
        return cls(levels, codes, sizes, np.where(alone, levels, low), np.where(alone, levels, high), scores=False)

    @property
    def atoms(self) -> NDArray[np.intp]:
        """The places of levels that stand out among their neighbours."""
        return _atoms(self.sizes)

    def draw(self, rng: np.random.Generator) -> Values:
        """The rows' values (n,) with their ties spread at random."""
        low, high = self.low[self.codes], self.high[self.codes]
        spread = low + (high - low) * rng.random(len(self.codes))
        return ndtri(np.clip(spread, 1e-9, 1.0 - 1e-9)) if self.scores else spread

    def snap(self, smooth: Values, rng: np.random.Generator) -> Values:
        """Smooth values (n,) put back on the levels that repeat, as often as they do."""
        if self.scores:
            return np.asarray(self.levels[np.searchsorted(self.high[:-1], ndtr(smooth), side="right")])
        nearest = np.searchsorted((self.levels[1:] + self.levels[:-1]) / 2.0, smooth)
        found = np.where(self.sizes[nearest] > 1, self.levels[nearest], smooth)
        for atom in self.atoms:
            inside = (smooth >= self.low[atom]) & (smooth < self.high[atom])
            among = self.sizes[(self.levels >= self.low[atom]) & (self.levels < self.high[atom])].sum()
            found[inside] = np.where(
                rng.random(int(inside.sum())) < self.sizes[atom] / among, self.levels[atom], smooth[inside]
            )
        return np.asarray(found)


def _atoms(sizes: NDArray[np.intp]) -> NDArray[np.intp]:
    """The places of levels that stand out, from how many rows each level has (m,), in rising order of level."""
    around = np.zeros(len(sizes))
    beside = np.zeros(len(sizes))
    for step in (-2, -1, 1, 2):
        there = slice(max(step, 0), len(sizes) + min(step, 0))
        here = slice(max(-step, 0), len(sizes) + min(-step, 0))
        around[here] += sizes[there]
        beside[here] += 1
    least = max(_ATOM_SIZE, _ATOM_SHARE * sizes.sum())
    return np.flatnonzero((sizes >= least) & (sizes >= _STANDS_OUT * around / beside))


def _reach(levels: Values, sizes: NDArray[np.intp], atom: int) -> tuple[float, float]:
    """How far an atom is spread: until twice as many others are around it, at most to the median on each side."""
    away = np.abs(levels - levels[atom])
    order = np.argsort(away, kind="stable")[1:]
    enough = int(np.searchsorted(np.cumsum(sizes[order]), _DILUTED * sizes[atom]))
    reach = away[order[min(enough, len(order) - 1)]]
    below, above = _to_median(levels[:atom], sizes[:atom]), _to_median(levels[atom + 1 :], sizes[atom + 1 :])
    low = levels[atom] if below is None else max(below, levels[atom] - reach)
    high = levels[atom] if above is None else min(above, levels[atom] + reach)
    return float(low), float(high)


def _to_median(levels: Values, sizes: NDArray[np.intp]) -> float | None:
    until = np.cumsum(sizes)
    return float(levels[np.searchsorted(until, until[-1] / 2.0)]) if len(levels) else None
