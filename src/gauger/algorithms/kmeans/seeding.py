"""Where k-means starts from: k-means++ (Arthur & Vassilvitskii 2007), random rows, or the first rows."""

from collections.abc import Callable

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.distances import TILE, tile_distances
from gauger.algorithms.row_order import RowOrder

Values = NDArray[np.float64]


Seeder = Callable[[RowOrder, int, np.random.Generator], Values]


def seed_plusplus(points: RowOrder, count: int, rng: np.random.Generator) -> Values:
    """`count` points far from each other as centres (count, d); at least as many must be distinct.

    Each is the best of several candidates, drawn with a probability proportional to weight and squared distance to the
    centres before; how many there are, from one to 2 + log(count), is drawn too, for the best at every step is not
    always the best at the end. O(n d count log count).

    Arthur & Vassilvitskii (2007), Proc. 18th ACM-SIAM Symposium on Discrete Algorithms, 1027-1035.
    """
    draws = rng.random((count, rng.integers(1, 3 + int(np.log(count)))))
    chosen = np.zeros(count, dtype=np.intp)
    scatter_seeds(points.columns, points.weights, draws, chosen)
    return np.ascontiguousarray(points.columns[:, chosen].T)


def seed_randomly(points: RowOrder, count: int, rng: np.random.Generator) -> Values:
    """`count` distinct points as centres, each as likely as the next; at least as many must be distinct."""
    rows = points.distinct()
    return np.ascontiguousarray(points.columns[:, np.sort(rng.choice(rows, size=count, replace=False))].T)


SEEDERS: dict[str, Seeder] = {"kmeans++": seed_plusplus, "random": seed_randomly}


def first_rows(points: RowOrder, count: int) -> Values:
    """The first `count` distinct points of the table, in the order of its rows."""
    seen: dict[bytes, int] = {}
    for index in np.argsort(points.order, kind="stable"):
        seen.setdefault(points.columns[:, index].tobytes(), int(index))
        if len(seen) == count:
            break
    return np.ascontiguousarray(points.columns[:, list(seen.values())].T)


@njit(nogil=True, cache=True, fastmath={"contract"})
def scatter_seeds(columns, weights, draws, chosen):
    """Draw rows far from each other into chosen (k,), and return how many distinct ones there were.

    draws (k, candidates) are numbers from 0 to 1: at each step every candidate is drawn with a probability proportional
    to its squared distance to the rows chosen before, and the one that leaves the smallest sum of squares is taken.
    """
    n = columns.shape[1]
    closest = np.ones(n)
    trial, best = np.empty(n), np.empty(n)
    running = np.empty(n)
    distance = np.empty(TILE)
    for step in range(chosen.shape[0]):
        total = 0.0
        for r in range(n):
            total += closest[r] * weights[r]
            running[r] = total
        if total <= 0.0:
            return step
        least = np.inf
        for draw in draws[step, : 1 if step == 0 else draws.shape[1]]:
            row = min(np.searchsorted(running, draw * total, side="right"), n - 1)
            while closest[row] * weights[row] <= 0.0:
                row -= 1
            centre = columns[:, row].copy()
            left = 0.0
            for first in range(0, n, TILE):
                size = min(TILE, n - first)
                tile_distances(columns, first, size, centre, distance)
                for i in range(size):
                    r = first + i
                    trial[r] = distance[i] if step == 0 else min(closest[r], distance[i])
                    left += trial[r] * weights[r]
            if left < least:
                least = left
                chosen[step] = row
                best, trial = trial, best
        closest, best = best, closest
    return chosen.shape[0]
