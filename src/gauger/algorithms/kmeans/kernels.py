"""The compiled inner loops: each takes one block of rows, releases the GIL, and writes only what it is given.

Points are handed over as columns (d, n), one feature after the other, so that a tile of points runs side by side
in vector registers. `contract` allows fused multiply-add; nothing reorders a sum, except where a kernel says so.
Every distance goes through `tile_distances`, so that two kernels never differ in the last bit of one.
"""

import numpy as np
from numba import njit

from gauger.algorithms.distances import TILE, tile_distances


@njit(nogil=True, cache=True, inline="always")
def _count_in(columns, weights, row, old, new, counts, sums):
    """Take a row out of segment `old`, unless that is -1, and put it into segment `new`."""
    w = weights[row]
    if old >= 0:
        counts[old] -= w
        for f in range(columns.shape[0]):
            sums[old, f] -= w * columns[f, row]
    counts[new] += w
    for f in range(columns.shape[0]):
        sums[new, f] += w * columns[f, row]


@njit(nogil=True, cache=True, inline="always")
def _count_in_tile(columns, weights, first, size, nearest, counts, sums):
    """As `_count_in` for a tile of rows that were nowhere yet, to the same bits, feature by feature."""
    for r in range(size):
        counts[nearest[r]] += weights[first + r]
    for f in range(columns.shape[0]):
        column = columns[f, first : first + size]
        for r in range(size):
            sums[nearest[r], f] += weights[first + r] * column[r]


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def nearest_of_tile(columns, first, size, centres, distance, nearest, best):
    """The nearest centre of a tile's rows, ties to the lower number, and its squared distance."""
    for j in range(centres.shape[0]):
        tile_distances(columns, first, size, centres[j], distance)
        if j == 0:
            for r in range(size):
                best[r] = distance[r]
                nearest[r] = 0
        else:
            for r in range(size):
                here, least = distance[r], best[r]
                nearest[r] = j if here < least else nearest[r]
                best[r] = here if here < least else least


@njit(nogil=True, cache=True, fastmath={"contract"})
def assign_block(columns, weights, start, stop, centres, codes, counts, sums):
    """Assign the rows start … stop to their nearest centres, ties to the lower number, and count in those that moved.

    columns (d, n), weights (n,), centres (k, d); changes codes (n,), where -1 is nowhere yet, and adds to counts (k,)
    and sums (k, d) what moving does to them. Returns the number of rows that moved.
    """
    distance = np.empty(TILE)
    best = np.empty(TILE)
    nearest = np.empty(TILE, np.int64)
    moved = 0
    for first in range(start, stop, TILE):
        size = min(TILE, stop - first)
        nearest_of_tile(columns, first, size, centres, distance, nearest, best)
        own = codes[first : first + size]
        changed = 0
        for r in range(size):
            changed += own[r] != nearest[r]
        if changed == 0:
            continue
        moved += changed
        if own.max() < 0:
            _count_in_tile(columns, weights, first, size, nearest, counts, sums)
            for r in range(size):
                own[r] = nearest[r]
            continue
        for r in range(size):
            if own[r] != nearest[r]:
                _count_in(columns, weights, first + r, own[r], nearest[r], counts, sums)
                own[r] = nearest[r]
    return moved


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def nearest_two_of_tile(columns, first, size, centres, distance, nearest, best, second):
    """The nearest centre of a tile's rows, ties to the lower number, and the two smallest squared distances."""
    for i in range(size):
        best[i] = np.inf
        second[i] = np.inf
        nearest[i] = 0
    for j in range(centres.shape[0]):
        tile_distances(columns, first, size, centres[j], distance)
        for i in range(size):
            here, least = distance[i], best[i]
            closer = here < least
            nearest[i] = j if closer else nearest[i]
            best[i] = here if closer else least
            second[i] = least if closer else min(second[i], here)


@njit(nogil=True, cache=True, inline="always")
def _gather(columns, rows, size, gathered):
    """The first `size` of some rows, side by side in gathered (d, TILE)."""
    for f in range(columns.shape[0]):
        for i in range(size):
            gathered[f, i] = columns[f, rows[i]]


@njit(nogil=True, cache=True, fastmath={"contract"})
def reassign_block(columns, weights, start, stop, centres, reach, slack, codes, counts, sums):
    """As `assign_block`, but only for rows whose nearest centre can have changed since their distances were taken.

    slack (n,) is how much nearer a row was to its own centre than to the next, plus how far its centre had come by
    then; a row is looked at again once reach (k,), how far the centres have come by now, exceeds it. Returns how many
    rows moved. Rows to look at are gathered into full tiles, so that sparse ones cost no
    more than dense ones. Long because gathering, assigning and counting in share one tile.
    """
    gathered = np.empty((columns.shape[0], TILE))
    distance = np.empty(TILE)
    best = np.empty(TILE)
    second = np.empty(TILE)
    nearest = np.empty(TILE, np.int64)
    pending = np.empty(2 * TILE, np.int64)
    farthest = reach.max()
    waiting = 0
    moved = 0
    for first in range(start, stop, TILE):
        size = min(TILE, stop - first)
        candidates = 0
        for r in range(first, first + size):
            candidates += slack[r] <= farthest
        if candidates:
            for r in range(first, first + size):
                pending[waiting] = r
                waiting += slack[r] <= reach[codes[r]]
        last = first + TILE >= stop
        while waiting >= TILE or (last and waiting):
            size = min(TILE, waiting)
            _gather(columns, pending, size, gathered)
            nearest_two_of_tile(gathered, 0, size, centres, distance, nearest, best, second)
            for i in range(size):
                distance[i] = np.sqrt(second[i]) - np.sqrt(best[i])
            for i in range(size):
                r, j = pending[i], nearest[i]
                slack[r] = distance[i] + reach[j]
                if codes[r] != j:
                    moved += 1
                    _count_in(columns, weights, r, codes[r], j, counts, sums)
                    codes[r] = j
            waiting -= size
            for i in range(waiting):
                pending[i] = pending[size + i]
    return moved


@njit(nogil=True, cache=True)
def sums_block(columns, weights, start, stop, codes, counts, sums):
    """Add the rows start … stop to the counts (k,) and sums (k, d) of their segments."""
    for first in range(start, stop, TILE):
        size = min(TILE, stop - first)
        _count_in_tile(columns, weights, first, size, codes[first : first + size], counts, sums)


@njit(nogil=True, cache=True, fastmath={"contract"})
def own_distances_block(columns, start, stop, centres, codes, squares):
    """Squared distances of the rows start … stop to their own centres, into squares (n,)."""
    for r in range(start, stop):
        j = codes[r]
        total = 0.0
        for f in range(columns.shape[0]):
            gap = columns[f, r] - centres[j, f]
            total += gap * gap
        squares[r] = total


@njit(nogil=True, cache=True)
def refill(columns, weights, centres, codes, counts, sums):
    """Move the farthest rows, one each, into the segments that nobody is in; returns how many were moved.

    Ties go to the first row; a segment never gives its last row away, so there must be at least k distinct rows.
    """
    moved = 0
    for empty in range(centres.shape[0]):
        if counts[empty] > 0.0:
            continue
        farthest, far = -1, -1.0
        for r in range(columns.shape[1]):
            j = codes[r]
            if counts[j] <= weights[r]:
                continue
            total = 0.0
            for f in range(columns.shape[0]):
                gap = columns[f, r] - centres[j, f]
                total += gap * gap
            if total > far:
                farthest, far = r, total
        _count_in(columns, weights, farthest, codes[farthest], empty, counts, sums)
        codes[farthest] = empty
        moved += 1
    return moved


@njit(nogil=True, cache=True)
def iterate_block(columns, weights, centres, codes, max_iterations):
    """Iterations of Lloyd over one block of rows, until nothing moves or max_iterations are done.

    Changes centres (k, d) and codes (n,), which begin at -1. Returns the iterations done and the rows that moved last.
    """
    k, d = centres.shape
    n = columns.shape[1]
    counts, sums = np.zeros(k), np.zeros((k, d))
    done, moved = 0, n
    while moved and done < max_iterations:
        moved = assign_block(columns, weights, np.int64(0), n, centres, codes, counts, sums)
        if counts.min() <= 0.0:
            moved += refill(columns, weights, centres, codes, counts, sums)
        for j in range(k):
            for f in range(d):
                centres[j, f] = sums[j, f] / counts[j]
        done += 1
    return done, moved
