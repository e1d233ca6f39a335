"""Mergeable sums by segment: what a block of customers adds to each segment's count, sum and squared distances."""

from dataclasses import dataclass
from functools import reduce
from operator import add

import numpy as np
from numpy.typing import NDArray

from gauger.clustering.blocks import map_blocks
from gauger.clustering.kernels import assign_block

Values = NDArray[np.float64]


@dataclass(frozen=True)
class SegmentSums:
    """Sums over customers by segment: `count` (k,), `total` (k, d), `spread` (k,) squared distances, `moved`."""

    count: NDArray[np.int64]
    total: Values
    spread: Values
    moved: int

    def __add__(self, other: "SegmentSums") -> "SegmentSums":
        return SegmentSums(
            self.count + other.count, self.total + other.total, self.spread + other.spread, self.moved + other.moved
        )

    def means(self) -> Values:
        """Centres (k, d); every segment must have a customer."""
        return self.total / self.count[:, None]


def assign(columns: Values, centres: Values, codes: NDArray[np.int32]) -> SegmentSums:
    """Give each customer the nearest centre, in `codes` (n,) from 0, and return the sums over all customers.

    `columns` (d, n) hold one feature after the other, `centres` are (k, d). The sums are added in the order of blocks:
    the same bits whatever the number of threads.
    """
    k, d = centres.shape

    def add_up(rows: slice) -> SegmentSums:
        count, total, spread = np.zeros(k, np.int64), np.zeros((k, d)), np.zeros(k)
        moved = assign_block(columns, rows.start, rows.stop, centres, codes, count, total, spread)
        return SegmentSums(count, total, spread, int(moved))

    return reduce(add, map_blocks(add_up, columns.shape[1]))
