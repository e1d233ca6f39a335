"""Ties smoothed out: values that repeat, spread so that flags, levels, zeros and heaps make no valley by themselves."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

FEW_LEVELS = 5
"""A column of no more values than this is spread like one normal measure: a filter on its values says as much; tuned on
`benchmarks.advice`, on the families and seeds set aside for that."""

_ATOM_SHARE, _ATOM_SIZE = 0.01, 8
"""A value that fewer have (a share, and a number of rows) is no atom: judgement."""

_STANDS_OUT = 5.0
"""An atom is this many times as frequent as its four neighbours on average: judgement."""

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
        for atom in _atoms(self.sizes):
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
    """How far an atom is spread: to the median of the other values on each side, at most halfway to the next atom.

    An atom of less than half the size is none of its like: of amounts that most people round to tens, some round to
    fifties, and those are spread from fifty to fifty.
    """
    others = np.array([other for other in _atoms(sizes) if 2 * sizes[other] >= sizes[atom]])
    level = low = high = levels[atom]
    if atom > 0:
        before = levels[others[others < atom]]
        low = max([_median(levels[:atom], sizes[:atom]), *((before[-1:] + level) / 2.0)])
    if atom < len(levels) - 1:
        after = levels[others[others > atom]]
        high = min([_median(levels[atom + 1 :], sizes[atom + 1 :]), *((after[:1] + level) / 2.0)])
    return float(low), float(high)


def _median(levels: Values, sizes: NDArray[np.intp]) -> float:
    until = np.cumsum(sizes)
    return float(levels[np.searchsorted(until, until[-1] / 2.0)])
