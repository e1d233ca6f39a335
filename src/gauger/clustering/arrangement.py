"""Customers in an order that depends on what they hold, not on where they stand, so that row order changes nothing."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gauger.clustering.blocks import map_blocks
from gauger.clustering.kernels import mix_block
from gauger.clustering.rounds import squares_to_own, total_spread
from gauger.clustering.warming import warm_up
from gauger.features import FeatureSet

Values = NDArray[np.float64]
Rows = NDArray[np.intp]


@dataclass(frozen=True, eq=False)
class Arrangement:
    """Features as `columns` (d, n), by name, of customers in the order of a hash of their values.

    The hash makes the order look random and keeps equal rows together. `weights` (n,) are the customers' weights,
    `order` (n,) where each stands in the FeatureSet, `places` (d,) where each feature does.
    """

    columns: Values
    weights: Values
    order: Rows
    places: Rows

    @property
    def customers(self) -> int:
        """How many customers there are."""
        return int(self.columns.shape[1])

    def part(self, rows: Rows) -> "Arrangement":
        """Some customers, in the given order."""
        columns = np.ascontiguousarray(self.columns[:, rows])
        return Arrangement(columns, self.weights[rows], self.order[rows], self.places)

    def distinct(self) -> Rows:
        """The first of every group of equal customers."""
        changes = (self.columns[:, 1:] != self.columns[:, :-1]).any(axis=0)
        return np.flatnonzero(np.concatenate([[True], changes]))

    def sample(self, size: int, rng: np.random.Generator) -> Rows:
        """`size` customers drawn without replacement, in order."""
        if size >= self.customers:
            return np.arange(self.customers)
        return np.sort(rng.choice(self.customers, size=size, replace=False))

    def digest(self, size: int, rng: np.random.Generator) -> "Arrangement":
        """`size` draws that stand for everyone in k-means: half of them even, half by squared distance to the mean.

        Each is weighted by the inverse of its chance, so that a sum of squares keeps its expectation, and customers
        far out are hardly ever missed. Bachem, Lucic & Krause (2018), Proc. 24th ACM SIGKDD, 1119-1127.
        """
        middle, spread = total_spread(self.columns, self.weights)
        squares = squares_to_own(self.columns, middle[None, :], np.zeros(self.customers, dtype=np.int32))
        chances = 0.5 * self.weights / self.weights.sum() + (0.5 * self.weights * squares / spread if spread else 0.0)
        running = np.cumsum(chances)
        rows = np.searchsorted(running, np.sort(rng.random(size)) * running[-1], side="right")
        rows, times = np.unique(np.minimum(rows, self.customers - 1), return_counts=True)
        part = self.part(rows)
        return replace(part, weights=part.weights * times / (chances[rows] * size))

    def inwards(self, centres: Values) -> Values:
        """Centres (k, d) in the FeatureSet's order of features, in this one's."""
        return np.ascontiguousarray(centres[:, self.places])

    def outwards(self, centres: Values) -> Values:
        """Centres (k, d) in this order of features, in the FeatureSet's."""
        back = np.empty_like(centres)
        back[:, self.places] = centres
        return back


def arrange(features: FeatureSet, weights: Values | None = None) -> Arrangement:
    """A FeatureSet's customers, arranged; the same arrangement whatever the order of its rows and features."""
    warm_up()
    places = np.argsort(np.array(features.names, dtype=object), kind="stable")
    values = features.values.T[places] + 0.0  # there is one zero only
    hashes = np.zeros(values.shape[1], dtype=np.uint64)
    for column in values:
        _mix(column.view(np.uint64), hashes)
    order = np.argsort(hashes, kind="stable") if weights is None else np.lexsort((weights, hashes))
    columns = np.ascontiguousarray(np.take(values, order, axis=1))
    if _collides(hashes[order], columns):
        order = np.lexsort((*values, *(() if weights is None else (weights,)))[::-1])
        columns = np.ascontiguousarray(np.take(values, order, axis=1))
    own = np.ones(len(order)) if weights is None else weights[order]
    return Arrangement(columns, own, order, places)


def _mix(bits: NDArray[np.uint64], hashes: NDArray[np.uint64]) -> None:
    for _ in map_blocks(lambda rows: mix_block(bits, rows.start, rows.stop, hashes), len(hashes)):
        pass


def _collides(hashes: NDArray[np.uint64], columns: Values) -> bool:
    """Whether customers that differ share a hash: about once in 30 million tables of a million customers."""
    same = np.flatnonzero(hashes[1:] == hashes[:-1])
    return bool((columns[:, same] != columns[:, same + 1]).any())
