"""Exact moments of columns by segment: how many values, their sum, and the sum of their squares, in mergeable form."""

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans import BLOCK_ROWS, WholeSums, moments_block, square_steps_for, steps_for
from gauger.columns import Values

Whole = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class SegmentMoments:
    """Of k segments and d columns: values `known` (k, d), and exact `sums` and `squares` (k, d) of values less `lows`.

    `lows` (k, d) are the smallest values of each segment, and `spans` (k, d) how far its largest lie above: they decide
    the steps of the sums, so that an extreme value costs no digits outside its own segment.
    """

    lows: Values
    spans: Values
    known: Whole
    sums: WholeSums
    squares: WholeSums

    @classmethod
    def none(cls, lows: Values, highs: Values) -> "SegmentMoments":
        """Those of nobody, for columns between two ends (k, d)."""
        shape = lows.shape
        spans = np.nan_to_num(highs - lows)
        return cls(
            np.nan_to_num(lows), spans, np.zeros(shape, dtype=np.int64), WholeSums.none(shape), WholeSums.none(shape)
        )

    def with_block(self, columns: Values, codes: NDArray[np.int32]) -> "SegmentMoments":
        """These and those of some rows: columns (d, n), NaN for gaps, codes (n,) from 0."""
        found = self
        steps, squared = self.steps, self.square_steps
        scale, one, other = (2.0 ** own.astype(np.float64) for own in (steps, squared // 2, squared - squared // 2))
        for start in range(0, columns.shape[1], BLOCK_ROWS):
            stop = min(start + BLOCK_ROWS, columns.shape[1])
            known, sums, squares = (np.zeros(self.known.shape, dtype=np.int64) for _ in range(3))
            moments_block(columns, codes, start, stop, self.lows, scale, one, other, known, sums, squares)
            found += SegmentMoments(self.lows, self.spans, known, WholeSums.of(sums), WholeSums.of(squares))
        return found

    def __add__(self, other: "SegmentMoments") -> "SegmentMoments":
        return SegmentMoments(
            self.lows, self.spans, self.known + other.known, self.sums + other.sums, self.squares + other.squares
        )

    def with_columns(self, other: "SegmentMoments") -> "SegmentMoments":
        """The moments of these columns, and of others after them, of the same segments."""
        lows, spans = (np.concatenate(both, axis=1) for both in ((self.lows, other.lows), (self.spans, other.spans)))
        known = np.concatenate([self.known, other.known], axis=1)
        sums, squares = (
            WholeSums(np.concatenate([one.high, two.high], axis=1), np.concatenate([one.low, two.low], axis=1))
            for one, two in ((self.sums, other.sums), (self.squares, other.squares))
        )
        return SegmentMoments(lows, spans, known, sums, squares)

    @property
    def steps(self) -> Whole:
        """The exponents (k, d) that sums are in."""
        return steps_for(self.spans.ravel()).reshape(self.spans.shape)

    @property
    def square_steps(self) -> Whole:
        """The exponents (k, d) that sums of squares are in."""
        return square_steps_for(self.spans.ravel()).reshape(self.spans.shape)

    def means(self) -> Values:
        """Means (k, d); NaN without values."""
        with np.errstate(invalid="ignore"):
            return np.asarray(self.lows + self.sums.values(self.steps) / self.known)

    def deviations(self, *, of_a_sample: bool = False) -> Values:
        """Standard deviations (k, d), of all values or, dividing by one less, of a sample; NaN without enough
        values."""
        units = np.frexp(self.spans)[1]  # so that no square leaves the range of numbers
        least = self.known - 1 if of_a_sample else self.known
        with np.errstate(invalid="ignore", divide="ignore"):
            mean = self.sums.values(self.steps + units) / self.known
            square = self.squares.values(self.square_steps + 2 * units) / self.known
            spread = np.maximum(square - mean**2, 0.0) * (self.known / least)
            return np.asarray(np.ldexp(np.sqrt(np.where(least > 0, spread, np.nan)), units))

    def square_sums(self) -> Values:
        """The sums of the squares of values less the low ends (k, d)."""
        return self.squares.values(self.square_steps)

    def known_of_everyone(self) -> Whole:
        """How many values there are in all segments together (d,)."""
        return np.asarray(self.known.sum(axis=0))

    def of_everyone(self, *, of_a_sample: bool = False) -> tuple[Values, Values]:
        """The mean and the standard deviation of all segments together (d,)."""
        means, deviations = np.full(self.known.shape[1], np.nan), np.full(self.known.shape[1], np.nan)
        for at in range(self.known.shape[1]):
            parts = [part for group in range(len(self.known)) if (part := self._part(group, at)) is not None]
            n = sum(size for size, _, _ in parts)
            if not n:
                continue
            mean = sum((size * own for size, own, _ in parts), Fraction()) / n
            spread = sum((rest + size * (own - mean) ** 2 for size, own, rest in parts), Fraction())
            means[at] = float(mean)
            if n > of_a_sample:
                deviations[at] = _root(max(spread, Fraction()) / (n - of_a_sample))
        return means, deviations

    def _part(self, group: int, at: int) -> tuple[int, Fraction, Fraction] | None:
        """The size of a segment, its mean, and the sum of squares about it; None of no values."""
        n = int(self.known[group, at])
        if not n:
            return None
        own = _exactly(self.sums, group, at) / Fraction(2) ** int(self.steps[group, at])
        square = _exactly(self.squares, group, at) / Fraction(2) ** int(self.square_steps[group, at])
        return n, Fraction(float(self.lows[group, at])) + own / n, square - own**2 / n

    def content(self) -> bytes:
        """What tells these moments from those of other values."""
        unscaled = np.zeros(self.known.shape, dtype=np.int64)
        return b"".join(one.values(unscaled).tobytes() for one in (self.sums, self.squares))


def _exactly(sums: WholeSums, group: int, at: int) -> Fraction:
    return Fraction((int(sums.high[group, at]) << 32) + int(sums.low[group, at]))


def _root(square: Fraction) -> float:
    """A square root, also of what is beyond the range of numbers."""
    if not square:
        return 0.0
    shift = (square.numerator.bit_length() - square.denominator.bit_length()) // 2
    return float(np.ldexp(float(square / Fraction(4) ** shift) ** 0.5, shift))
