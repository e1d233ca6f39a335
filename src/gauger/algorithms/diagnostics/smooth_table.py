"""A table whose ties are smoothed out, several times over: what valleys are looked for in."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.statistics import Smoother

Values = NDArray[np.float64]
Codes = NDArray[np.intp]


@dataclass(frozen=True, eq=False)
class SmoothTable:
    """Points (n, d) without ties.

    `draws` are the measures (n, m), each with mean 0 and standard deviation 1, each time spread anew; `levels` (n, c)
    say which level of each category a point has; `ties` (n, draws) are uniform numbers that break the ties of levels.
    """

    draws: tuple[Values, ...]
    levels: NDArray[np.intp]
    ties: Values
    smoothers: tuple[Smoother, ...]

    @property
    def size(self) -> int:
        """How many points there are."""
        return len(self.levels)

    def without(self, measures: Sequence[int], categories: Sequence[int]) -> "SmoothTable":
        """The table without some measures and categories, by place."""
        kept = [index for index in range(len(self.smoothers)) if index not in set(measures)]
        others = [index for index in range(self.levels.shape[1]) if index not in set(categories)]
        draws = tuple(np.ascontiguousarray(draw[:, kept]) for draw in self.draws)
        return SmoothTable(draws, self.levels[:, others], self.ties, tuple(self.smoothers[index] for index in kept))


def smooth_table(measures: Values, levels: NDArray[np.intp], draws: int, rng: np.random.Generator) -> SmoothTable:
    """Smooth measures (n, m) and levels of categories (n, c) that many times."""
    n = len(measures)
    smoothers = tuple(Smoother.of(column) for column in measures.T)
    made = []
    for _ in range(draws):
        columns = [standardised(smoother.draw(rng)) for smoother in smoothers]
        made.append(np.column_stack(columns) if columns else np.empty((n, 0)))
    return SmoothTable(tuple(made), levels, rng.random((n, draws)), smoothers)


def standardised(values: Values) -> Values:
    """Values (n,) or (n, d) with mean 0 and standard deviation 1; 0 where they are all alike."""
    spread = values.std(axis=0)
    return np.asarray((values - values.mean(axis=0)) / np.where(spread > 0.0, spread, 1.0))
