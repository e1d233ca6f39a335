"""A table whose ties are smoothed out, several times over: what valleys are looked for in."""

from collections.abc import Iterator
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

    def without_each_of_few_levels(self) -> Iterator["SmoothTable"]:
        """The table without one of the columns that have a few values only, for each of them in turn."""
        if len(self.smoothers) + self.levels.shape[1] < 2:
            return
        for index, smoother in enumerate(self.smoothers):
            if smoother.scores:
                draws = tuple(np.delete(draw, index, axis=1) for draw in self.draws)
                yield SmoothTable(draws, self.levels, self.ties, self.smoothers[:index] + self.smoothers[index + 1 :])
        for index in range(self.levels.shape[1]):
            yield SmoothTable(self.draws, np.delete(self.levels, index, axis=1), self.ties, self.smoothers)


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
