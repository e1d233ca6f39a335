"""Sums by segment that are exact, so that whoever adds them up in whatever parts and order gets the same bits.

A value is rounded to a multiple of a power of two, fine enough that it keeps 46 bits of the largest one, and whole
numbers are added. What a block changes is a few whole numbers a segment; those of blocks, of files and of machines may
be merged in any order.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import frexp, ldexp

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.distances import TILE
from gauger.algorithms.kmeans.kernels import nearest_of_tile, nearest_two_of_tile

BITS = 46
"""Bits that the largest value keeps: a block of 2 ** 16 rows of them just fits a whole number of 64."""
BLOCK_ROWS = 65_536
"""Rows whose sums fit: see `BITS`."""
_MOST_STEPS = 1_000
"""The largest exponent: 2 to this power is still a number, and nothing that has a range is smaller than its steps."""
_LOW_BITS = 32
"""Sums of blocks are carried in two halves, the lower one of so many bits."""

Values = NDArray[np.float64]
Whole = NDArray[np.int64]


def steps_for(largest: Values) -> Whole:
    """The exponents (d,) by which values of at most this size are multiplied by a power of two to become whole."""
    found = [BITS - frexp(max(float(one), np.finfo(float).tiny))[1] for one in largest]
    return np.minimum(np.array(found, dtype=np.int64), _MOST_STEPS)


def square_steps_for(largest: Values) -> Whole:
    """The same for the squares of such values, which may themselves be smaller or larger than any number."""
    found = []
    for one in largest:
        part, exponent = frexp(max(float(one), np.finfo(float).tiny))
        found.append(BITS - 2 * exponent - frexp(part * part)[1])
    return np.minimum(np.array(found, dtype=np.int64), 2 * _MOST_STEPS)


@dataclass(frozen=True, eq=False)
class WholeSums:
    """Exact sums (any shape) of values in steps of 2 ** -exponent, as whole numbers: high * 2 ** 32 + low."""

    high: Whole
    low: Whole

    @classmethod
    def of(cls, sums: Whole) -> "WholeSums":
        """Those of one block."""
        return cls(sums >> _LOW_BITS, sums & ((1 << _LOW_BITS) - 1))

    @classmethod
    def of_ints(cls, sums: Sequence[Sequence[int]]) -> "WholeSums":
        """Those that somebody else added up, rows of whole numbers of any size."""
        whole = np.array(sums, dtype=object)
        low = whole & ((1 << _LOW_BITS) - 1)
        return cls((whole >> _LOW_BITS).astype(np.int64), low.astype(np.int64))

    @classmethod
    def none(cls, shape: tuple[int, ...]) -> "WholeSums":
        """Those of nothing."""
        return cls(np.zeros(shape, dtype=np.int64), np.zeros(shape, dtype=np.int64))

    def __add__(self, other: "WholeSums") -> "WholeSums":
        return WholeSums(self.high + other.high, self.low + other.low)

    def __sub__(self, other: "WholeSums") -> "WholeSums":
        return WholeSums(self.high - other.high, self.low - other.low)

    def values(self, exponents: Whole) -> Values:
        """The sums as numbers, each rounded once; exponents for the last axis."""
        flat = zip(self.high.ravel().tolist(), self.low.ravel().tolist(), strict=True)
        sizes = np.broadcast_to(exponents, self.high.shape).ravel().tolist()
        found = [ldexp(float((high << _LOW_BITS) + low), -size) for (high, low), size in zip(flat, sizes, strict=True)]
        return np.array(found).reshape(self.high.shape)


@njit(nogil=True, cache=True, inline="always")
def _count_tile(columns, first, size, nearest, scales, counts, sums):
    """Add a tile's rows to the counts (k,) and whole sums (k, d) of their segments."""
    for r in range(size):
        counts[nearest[r]] += 1
    for f in range(columns.shape[0]):
        scale = scales[f]
        column = columns[f, first : first + size]
        for r in range(size):
            sums[nearest[r], f] += np.int64(np.rint(column[r] * scale))


@njit(nogil=True, cache=True, inline="always")
def _keep_near(columns, first, size, nearest, slack, margin, scales, kept, counts, sums):
    """Set kept (n,) for a tile's rows with no more slack than a margin, and count them in."""
    for r in range(size):
        if slack[r] <= margin:
            j = nearest[r]
            kept[first + r] = True
            counts[j] += 1
            for f in range(columns.shape[0]):
                sums[j, f] += np.int64(np.rint(columns[f, first + r] * scales[f]))


@njit(nogil=True, cache=True, fastmath={"contract"})
def look_block(
    columns, start, stop, centres, before, reach, margin, scales, counts, sums, kept, kept_counts, kept_sums
):
    """Assign the rows start … stop to their nearest centres, ties to the lower number, and add up where they are.

    columns (d, n), centres (k, d); `before` (k, d) are those of the last time, and reach (k,) how much nearer a row
    must be to its own centre than to any other for its segment to be the same at both. Adds to counts (k,) and sums
    (k, d) of whole numbers, values times scales (d,); those of rows that are no more than `margin` nearer to their own
    centre than to the next go to kept_counts and kept_sums too, and kept (n,) is set for them. Returns how many rows
    moved.
    """
    distance, best, second = np.empty(TILE), np.empty(TILE), np.empty(TILE)
    nearest, earlier = np.empty(TILE, np.int64), np.empty(TILE, np.int64)
    moved = 0
    for first in range(start, stop, TILE):
        size = min(TILE, stop - first)
        nearest_two_of_tile(columns, first, size, centres, distance, nearest, best, second)
        unsure = 0
        for r in range(size):
            second[r] = np.sqrt(second[r]) - np.sqrt(best[r])
            unsure += second[r] <= reach[nearest[r]]
        if unsure:
            nearest_of_tile(columns, first, size, before, distance, earlier, best)
            for r in range(size):
                moved += earlier[r] != nearest[r]
        _count_tile(columns, first, size, nearest, scales, counts, sums)
        _keep_near(columns, first, size, nearest, second, margin, scales, kept, kept_counts, kept_sums)
    return moved


@njit(nogil=True, cache=True)
def moments_block(columns, codes, start, stop, lows, scales, one_scales, other_scales, known, sums, squares):
    """Add up the rows start … stop by segment: of every column the values that are there, less the segment's low end.

    columns (d, n) with NaN for gaps, codes (n,) from 0; adds to known (k, d), sums (k, d) and squares (k, d) of whole
    numbers. Low ends and scales are (k, d), and all scales powers of two; the two factors of a square have one each,
    because their product may be beyond what a number holds.
    """
    for f in range(columns.shape[0]):
        for r in range(start, stop):
            j = codes[r]
            value = columns[f, r] - lows[j, f]
            if value == value:
                known[j, f] += 1
                sums[j, f] += np.int64(np.rint(value * scales[j, f]))
                squares[j, f] += np.int64(np.rint((value * one_scales[j, f]) * (value * other_scales[j, f])))
