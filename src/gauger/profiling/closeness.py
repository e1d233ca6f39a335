"""How close customers are to their own segment and to the others: by centres, or by neighbours where there are none."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import KDTree
from scipy.spatial.distance import cdist

from gauger.algorithms import fixed_generator
from gauger.segmentation import UNASSIGNED, Segmentation

AROUND = 0.8
"""The share of customers nearest to their own centre from which segments are said to lie around their centres."""

_APART, _MIXED = 0.9, 0.75
"""Segments that place more than the first share of customers in all features, and fewer than the second in two, look
mixed: judgement."""

_SAMPLE = 20_000
"""Customers that are looked at: judgement."""

_NEIGHBOUR = 5
"""Which neighbour says how near a segment without a centre is: judgement."""

Rows = NDArray[np.intp]
Values = NDArray[np.float64]


def sample_of(customers: int, most: int = _SAMPLE) -> Rows:
    """The places of all customers, or of a sample that is always the same, in order."""
    if customers <= most:
        return np.arange(customers)
    return _drawn(customers, most)


@lru_cache(maxsize=8)
def _drawn(customers: int, most: int) -> Rows:
    rows = np.sort(fixed_generator().choice(customers, size=most, replace=False))
    rows.flags.writeable = False
    return rows


def share_placed(seg: Segmentation, *names: str) -> float:
    """The share of assigned customers whose nearest centre is their own when only some features are looked at.

    Measured on the working scale, on at most 20,000 customers; 0 when nobody is assigned.
    """
    columns = [seg.features.names.index(name) for name in names or seg.features.names]
    rows = sample_of(len(seg.codes))
    return share_nearest_own(seg.features.values[rows][:, columns], seg.scaled_centres[:, columns], seg.codes[rows])


def share_nearest_own(points: Values, centres: Values, codes: NDArray[np.integer]) -> float:
    """The share of assigned customers at `points` (n, p) that are nearest the centre (k, p) of their own segment.

    Measured on at most 20,000 customers; 0 when nobody is assigned.
    """
    rows = sample_of(len(codes))
    rows = rows[codes[rows] != UNASSIGNED]
    if not rows.size:
        return 0.0
    nearest = cdist(points[rows], centres).argmin(axis=1) + 1
    return float((nearest == codes[rows]).mean())


def looks_mixed(placed: float, placed_in_all: float) -> bool:
    """Whether segments that are apart in all features look mixed where that share of customers is placed."""
    return placed_in_all >= _APART and placed < _MIXED


def lies_around_centres(seg: Segmentation) -> bool:
    """Whether segments lie around their centres, so that the nearest centre is the own."""
    return share_placed(seg) >= AROUND


def distances_to_segments(seg: Segmentation, rows: Rows, *, around: bool) -> Values:
    """How far some customers (m,) are from each segment (m, k), on the working scale.

    To its centre; for segments that do not lie around their centres to the fifth nearest of its customers, or the last
    where there are fewer.
    """
    values = seg.features.values[rows]
    if around:
        return np.asarray(cdist(values, seg.scaled_centres))
    segments = [seg.features.values[seg.codes == number] for number in seg.numbers]
    return np.column_stack([_to_neighbours(members, values) for members in segments])


def own_distances(seg: Segmentation) -> Values:
    """How far each customer (n,) is from its own segment, as `distances_to_segments`; NaN for the unassigned."""
    if lies_around_centres(seg):
        return seg.distances
    apart = np.full(len(seg.codes), np.nan)
    for number in seg.numbers.tolist():
        members = np.flatnonzero(seg.codes == number)
        values = seg.features.values[members]
        apart[members] = _to_neighbours(values, values)
    return apart


def _to_neighbours(members: Values, values: Values) -> Values:
    """How far each of some customers is from the fifth nearest of the members, or the last of fewer."""
    found, _ = KDTree(members).query(values, k=[min(_NEIGHBOUR, len(members))])
    return np.asarray(found[:, 0])
