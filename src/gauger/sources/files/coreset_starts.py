"""Where k-means out of core begins: it converges on a coreset first, so that everyone is looked at a few times only."""

from dataclasses import dataclass

import numpy as np

from gauger.algorithms import RowOrder, order_rows
from gauger.algorithms.kmeans import SEEDERS, compile_kmeans, race
from gauger.clustering import Fit, finish_best, refuse_too_few_distinct
from gauger.columns import Values
from gauger.sources.files.block_reading import Reader
from gauger.sources.files.crews import PartsAtWork
from gauger.sources.files.file_parts import BlockPart
from gauger.sources.files.file_sums import Working

_KEPT_BYTES = 2**27
"""Bytes of those who may yet move: enough for some million customers, little next to what a machine has."""


@dataclass(frozen=True, eq=False)
class _Distinct:
    """Some different customers, up to `most`: rows (m, d), the smallest first."""

    rows: Values
    most: int

    def __add__(self, other: "_Distinct") -> "_Distinct":
        return _Distinct(np.unique(np.concatenate([self.rows, other.rows]), axis=0)[: self.most], self.most)


def _distinct(reader: Reader, working: Working, most: int, part: BlockPart) -> _Distinct:
    found = _Distinct(np.empty((0, len(working.order))), most)
    for block in reader.customers(part):
        found += _Distinct(working.of(block.raw).T + 0.0, most)
    return found


def stand_ins(
    columns: Values, weights: Values, count: int, reader: Reader, working: Working, work: PartsAtWork
) -> RowOrder:
    """A coreset, columns (d, m) on the working scale, in the order of its values, with as many different rows as there
    are to be segments; raises SettingError where not even everyone has so many."""
    order = np.array(working.order, dtype=np.intp)
    found = order_rows(columns + 0.0, order, weights)
    if len(found.distinct()) >= count:
        return found
    rows = work.total("looking for different customers", _distinct, reader, working, count).rows
    refuse_too_few_distinct(len(rows), count)
    both = np.concatenate([columns, rows.T], axis=1) + 0.0
    return order_rows(both, order, np.concatenate([weights, np.ones(len(rows))]))


def converged_on(stands: RowOrder, count: int, starts: int, max_iterations: int, seed: int) -> Fit:
    """The best of some starts, raced and finished on a coreset."""
    compile_kmeans()
    entrants = race(stands, count, SEEDERS["kmeans++"], "kmeans++", starts, np.random.SeedSequence(seed))
    return finish_best(stands, entrants, max_iterations)


def margin_for(stands: RowOrder, centres: Values, customers: int) -> float:
    """How much nearer to the own centre than to the next customers may be and still be kept; infinite for everyone.

    As many are kept as there is room for, by what a coreset says of them.
    """
    room = _KEPT_BYTES // (8 * len(stands.columns))
    if customers <= room or len(centres) == 1:
        return float("inf")
    squares = np.array([((stands.columns - centre[:, None]) ** 2).sum(axis=0) for centre in centres])
    nearest, second = np.partition(np.sqrt(squares), 1, axis=0)[:2]
    slack = second - nearest
    order = np.argsort(slack, kind="stable")
    share = np.cumsum(stands.weights[order]) / stands.weights.sum()
    at = int(np.searchsorted(share, room / customers))
    return float(slack[order][max(at - 1, 0)])
