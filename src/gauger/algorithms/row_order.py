"""An order of rows that depends on what they hold, not on where they stand, so that row order changes nothing."""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.parallel import map_blocks

Rows = NDArray[np.intp]
Values = NDArray[np.float64]


@njit(nogil=True, cache=True)
def mix_block(bits, start, stop, hashes):
    """Stir one column's bits (n,) uint64 into the rows' hashes (n,): the finaliser of Steele, Lea & Flood (2014)."""
    for r in range(start, stop):
        h = (hashes[r] ^ bits[r]) + np.uint64(0x9E3779B97F4A7C15)
        h = (h ^ (h >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        h = (h ^ (h >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        hashes[r] = h ^ (h >> np.uint64(31))


@dataclass(frozen=True, eq=False)
class RowOrder:
    """Rows as `columns` (d, n), in the order of a hash of their values.

    The hash makes the order look random and keeps equal rows together. `weights` (n,) are the rows' weights, `order`
    (n,) says where each row stands with the caller, `column_order` (d,) where each column does.
    """

    columns: Values
    weights: Values
    order: Rows
    column_order: Rows

    @property
    def size(self) -> int:
        """How many rows there are."""
        return int(self.columns.shape[1])

    def part(self, rows: Rows) -> "RowOrder":
        """Some rows, in the given order."""
        columns = np.ascontiguousarray(self.columns[:, rows])
        return RowOrder(columns, self.weights[rows], self.order[rows], self.column_order)

    def distinct(self) -> Rows:
        """The first of every group of equal rows."""
        changes = (self.columns[:, 1:] != self.columns[:, :-1]).any(axis=0)
        return np.flatnonzero(np.concatenate([[True], changes]))

    def sample(self, size: int, rng: np.random.Generator) -> Rows:
        """`size` rows drawn without replacement, in order."""
        if size >= self.size:
            return np.arange(self.size)
        return np.sort(rng.choice(self.size, size=size, replace=False))

    def inwards(self, centres: Values) -> Values:
        """Centres (k, d) in the caller's order of columns, in this one's."""
        return np.ascontiguousarray(centres[:, self.column_order])

    def outwards(self, centres: Values) -> Values:
        """Centres (k, d) in this order of columns, in the caller's."""
        back = np.empty_like(centres)
        back[:, self.column_order] = centres
        return back


def order_rows(values: Values, column_order: Rows, weights: Values | None = None) -> RowOrder:
    """Rows, as columns (d, n), ordered by a hash of their values; the same order whatever the order they come in.

    `column_order` (d,) says where each column stands with the caller; `weights` (n,) are 1 each by default.
    """
    hashes = np.zeros(values.shape[1], dtype=np.uint64)
    for column in values:
        _mix(column.view(np.uint64), hashes)
    order = np.argsort(hashes, kind="stable") if weights is None else np.lexsort((weights, hashes))
    columns = np.ascontiguousarray(np.take(values, order, axis=1))
    if _collides(hashes[order], columns):
        order = np.lexsort((*values, *(() if weights is None else (weights,)))[::-1])
        columns = np.ascontiguousarray(np.take(values, order, axis=1))
    own = np.ones(len(order)) if weights is None else weights[order]
    return RowOrder(columns, own, order, column_order)


def _mix(bits: NDArray[np.uint64], hashes: NDArray[np.uint64]) -> None:
    for _ in map_blocks(lambda rows: mix_block(bits, rows.start, rows.stop, hashes), len(hashes)):
        pass


def _collides(hashes: NDArray[np.uint64], columns: Values) -> bool:
    """Whether rows that differ share a hash: about once in 30 million tables of a million rows."""
    same = np.flatnonzero(hashes[1:] == hashes[:-1])
    return bool((columns[:, same] != columns[:, same + 1]).any())
