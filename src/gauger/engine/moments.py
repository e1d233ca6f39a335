"""Exact moments of columns by segment: how many values, their sum, and the sum of their squares, in mergeable form."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans import BLOCK_ROWS, WholeSums, moments_block, square_steps_for, steps_for
from gauger.columns import Values

Whole = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Moments:
    """Of k segments and d columns: values `known` (k, d), and exact `sums` and `squares` (k, d) of values less `lows`.

    `spans` (d,) is how far the largest value lies above the low end, which decides the steps of the sums.
    """

    lows: Values
    spans: Values
    known: Whole
    sums: WholeSums
    squares: WholeSums

    @classmethod
    def none(cls, segments: int, lows: Values, highs: Values) -> "Moments":
        """Those of nobody, for columns between two ends (d,)."""
        shape = (segments, len(lows))
        spans = np.nan_to_num(highs - lows)
        return cls(lows, spans, np.zeros(shape, dtype=np.int64), WholeSums.none(shape), WholeSums.none(shape))

    def with_block(self, columns: Values, codes: NDArray[np.int32]) -> "Moments":
        """These and those of some rows: columns (d, n), NaN for gaps, codes (n,) from 0."""
        found = self
        steps, squared = self._steps()
        scale, one, other = (2.0 ** own.astype(np.float64) for own in (steps, squared // 2, squared - squared // 2))
        for start in range(0, columns.shape[1], BLOCK_ROWS):
            stop = min(start + BLOCK_ROWS, columns.shape[1])
            known, sums, squares = (np.zeros(self.known.shape, dtype=np.int64) for _ in range(3))
            moments_block(columns, codes, start, stop, self.lows, scale, one, other, known, sums, squares)
            found += Moments(self.lows, self.spans, known, WholeSums.of(sums), WholeSums.of(squares))
        return found

    def __add__(self, other: "Moments") -> "Moments":
        return Moments(
            self.lows, self.spans, self.known + other.known, self.sums + other.sums, self.squares + other.squares
        )

    def _steps(self) -> tuple[Whole, Whole]:
        return steps_for(self.spans), square_steps_for(self.spans)

    def of_everyone(self) -> "Moments":
        """Those of all segments together (1, d)."""
        sums, squares = (
            WholeSums(one.high.sum(axis=0, keepdims=True), one.low.sum(axis=0, keepdims=True))
            for one in (self.sums, self.squares)
        )
        return Moments(self.lows, self.spans, self.known.sum(axis=0, keepdims=True), sums, squares)

    def means(self) -> Values:
        """Means (k, d); NaN where there is no value."""
        with np.errstate(invalid="ignore"):
            return np.asarray(self.lows + self.sums.values(self._steps()[0]) / self.known)

    def deviations(self) -> Values:
        """Standard deviations (k, d), of all values rather than of a sample; NaN where there is no value."""
        steps, square_steps = self._steps()
        units = np.frexp(self.spans)[1]  # so that no square leaves the range of numbers
        with np.errstate(invalid="ignore"):
            mean = self.sums.values(steps + units) / self.known
            square = self.squares.values(square_steps + 2 * units) / self.known
            return np.asarray(np.ldexp(np.sqrt(np.maximum(square - mean**2, 0.0)), units))

    def square_sums(self) -> Values:
        """The sums of the squares of values less the low ends (k, d)."""
        return self.squares.values(self._steps()[1])
