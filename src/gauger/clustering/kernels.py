"""The compiled inner loops: each takes one block of rows, releases the GIL, and writes only what it is given.

Loops over a tile of rows run side by side in vector registers, which is why rows are first turned into columns of a
small tile. `contract` allows fused multiply-add; nothing reorders a sum, except where a kernel says so.
"""

import numpy as np
from numba import njit

TILE = 64


@njit(nogil=True, cache=True, fastmath={"contract"})
def assign_block(values, centres, codes, counts, sums, spread):
    """Assign each row to its nearest centre (ties to the lower number) and add it up by segment.

    values (rows, d), centres (k, d); changes codes (rows,) and adds to counts (k,), sums (k, d) and spread (k,), the
    squared distances. Returns the number of rows whose code changed. Long because assigning and adding up are fused:
    each row is read once.
    """
    rows, d = values.shape
    k = centres.shape[0]
    columns = np.empty((d, TILE))
    distance = np.empty(TILE)
    best = np.empty(TILE)
    nearest = np.empty(TILE, np.int64)
    moved = 0
    columns[:] = 0.0
    for start in range(0, rows, TILE):
        filled = min(TILE, rows - start)
        for r in range(filled):
            for f in range(d):
                columns[f, r] = values[start + r, f]
        for j in range(k):
            _tile_distances(columns, centres[j], distance)
            if j == 0:
                for r in range(TILE):
                    best[r] = distance[r]
                    nearest[r] = 0
            else:
                for r in range(TILE):
                    closer = distance[r] < best[r]
                    nearest[r] = j if closer else nearest[r]
                    best[r] = distance[r] if closer else best[r]
        for r in range(filled):
            j = nearest[r]
            moved += codes[start + r] != j
            codes[start + r] = j
            counts[j] += 1
            spread[j] += best[r]
            for f in range(d):
                sums[j, f] += values[start + r, f]
    return moved


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def _tile_distances(columns, centre, distance):
    """Squared distances of a tile's rows, held as columns (d, TILE), to one centre."""
    for r in range(TILE):
        distance[r] = 0.0
    for f in range(columns.shape[0]):
        c = centre[f]
        column = columns[f]
        for r in range(TILE):
            gap = column[r] - c
            distance[r] += gap * gap


@njit(nogil=True, cache=True, fastmath={"contract"})
def shrink_block(values, centre, closest):
    """Lower each row's squared distance `closest` (rows,) to that of one more centre (d,); returns their sum."""
    rows, d = values.shape
    total = 0.0
    for r in range(rows):
        distance = 0.0
        for f in range(d):
            gap = values[r, f] - centre[f]
            distance += gap * gap
        if distance < closest[r]:
            closest[r] = distance
        total += closest[r]
    return total


@njit(nogil=True, cache=True, fastmath={"contract", "reassoc"})
def distance_sums_block(values, columns, bounds, sums):
    """Add up each row's Euclidean distances to the customers of each segment.

    values (rows, d); columns (d, n) are the customers to measure against, sorted by segment, segment j standing at
    bounds[j] … bounds[j + 1]; writes sums (rows, k). `reassoc` lets the sum over a segment run in vector registers.
    """
    rows, d = values.shape
    k = bounds.shape[0] - 1
    piece = np.empty(TILE * 4)
    for r in range(rows):
        for j in range(k):
            total = 0.0
            for start in range(bounds[j], bounds[j + 1], TILE * 4):
                size = min(TILE * 4, bounds[j + 1] - start)
                for i in range(size):
                    piece[i] = 0.0
                for f in range(d):
                    own = values[r, f]
                    column = columns[f]
                    for i in range(size):
                        gap = column[start + i] - own
                        piece[i] += gap * gap
                for i in range(size):
                    total += np.sqrt(piece[i])
            sums[r, j] = total
