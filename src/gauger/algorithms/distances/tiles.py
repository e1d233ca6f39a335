"""Squared distances of a tile of rows to one centre: the loop that every other loop measures by."""

from numba import njit

TILE = 64
"""Rows side by side: a few vector registers of doubles; decides nothing but speed."""


@njit(nogil=True, cache=True, fastmath={"contract"}, inline="always")
def tile_distances(columns, first, size, centre, distance):
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
