"""The compiled inner loops: each takes one block of rows, releases the GIL, and writes only what it is given.

Customers are handed over as columns (d, n), one feature after the other, so that a tile of customers runs side by side
in vector registers. `contract` allows fused multiply-add; nothing reorders a sum, except where a kernel says so.
"""

import numpy as np
from numba import njit

TILE = 64


@njit(nogil=True, cache=True, fastmath={"contract"})
def assign_block(columns, start, stop, centres, codes, counts, sums, spread):
    """Assign the rows start … stop to their nearest centres (ties to the lower number) and add them up by segment.

    columns (d, n), centres (k, d); changes codes (n,) and adds to counts (k,), sums (k, d) and spread (k,), the
    squared distances. Returns the number of rows whose code changed. Long because assigning and adding up are fused:
    a tile is read while it is still in the cache.
    """
    d = columns.shape[0]
    k = centres.shape[0]
    distance = np.empty(TILE)
    best = np.empty(TILE)
    nearest = np.empty(TILE, np.int64)
    moved = 0
    for first in range(start, stop, TILE):
        size = min(TILE, stop - first)
        for j in range(k):
            _tile_distances(columns, first, size, centres[j], distance)
            if j == 0:
                for r in range(size):
                    best[r] = distance[r]
                    nearest[r] = 0
            else:
                for r in range(size):
                    here, least = distance[r], best[r]
                    nearest[r] = j if here < least else nearest[r]
                    best[r] = here if here < least else least
        own = codes[first : first + size]
        for r in range(size):
            j = nearest[r]
            moved += own[r] != j
            own[r] = j
        for r in range(size):
            j = nearest[r]
            counts[j] += 1
            spread[j] += best[r]
        for f in range(d):
            column = columns[f, first : first + size]
            for r in range(size):
                sums[nearest[r], f] += column[r]
    return moved


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def _tile_distances(columns, first, size, centre, distance):
    """Squared distances of the `size` rows from `first` on to one centre (d,), into distance (TILE,)."""
    c = centre[0]
    column = columns[0, first : first + size]
    for r in range(size):
        gap = column[r] - c
        distance[r] = gap * gap
    for f in range(1, columns.shape[0]):
        c = centre[f]
        column = columns[f, first : first + size]
        for r in range(size):
            gap = column[r] - c
            distance[r] += gap * gap


@njit(nogil=True, cache=True, fastmath={"contract"})
def shrink_block(columns, start, stop, centre, closest):
    """Lower the squared distances closest (n,) of rows start … stop to those from one more centre; returns their sum.

    columns (d, n), centre (d,).
    """
    distance = np.empty(TILE)
    total = 0.0
    for first in range(start, stop, TILE):
        size = min(TILE, stop - first)
        _tile_distances(columns, first, size, centre, distance)
        own = closest[first : first + size]
        for r in range(size):
            own[r] = min(own[r], distance[r])
        for r in range(size):
            total += own[r]
    return total


@njit(nogil=True, cache=True, fastmath={"contract", "reassoc"})
def distance_sums_block(values, columns, bounds, sums):
    """Add up each row's Euclidean distances to the customers of each segment.

    values (rows, d); columns (d, n) are the customers to measure against, sorted by segment, segment j standing at
    bounds[j] … bounds[j + 1]; writes sums (rows, k). `reassoc` lets the sum over a segment run in vector registers.
    """
    k = bounds.shape[0] - 1
    distance = np.empty(TILE)
    for r in range(values.shape[0]):
        for j in range(k):
            total = 0.0
            for first in range(bounds[j], bounds[j + 1], TILE):
                size = min(TILE, bounds[j + 1] - first)
                _tile_distances(columns, first, size, values[r], distance)
                for i in range(size):
                    total += np.sqrt(distance[i])
            sums[r, j] = total
