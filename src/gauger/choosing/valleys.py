"""Valleys between segments: whether customers thin out on the way from one centre to another."""

import numpy as np
from numpy.typing import NDArray
from scipy.sparse.csgraph import connected_components

from gauger.choosing.dip import scaled_dip

_THIN_TO = 2

Values = NDArray[np.float64]


def valley_depths(values: Values, codes: NDArray[np.integer], count: int) -> Values:
    """The scaled dip (count, count) between each two segments of customers (n, d); codes (n,) from 0.

    Both segments' customers are projected on the line between their means; the larger one is thinned to twice the
    smaller, evenly along the line, so that a small segment beside a large one is heard. 0 on the diagonal.
    """
    members = [values[codes == segment] for segment in range(count)]
    means = [own.mean(axis=0) for own in members]
    depths = np.zeros((count, count))
    for one in range(count):
        for other in range(one + 1, count):
            line = means[other] - means[one]
            small, large = sorted((members[one] @ line, members[other] @ line), key=len)
            large = np.sort(large)
            if len(large) > _THIN_TO * len(small):
                most = _THIN_TO * len(small)
                large = large[((np.arange(most) + 0.5) * len(large) / most).astype(np.intp)]
            depths[one, other] = depths[other, one] = scaled_dip(np.sort(np.concatenate([small, large])))
    return depths


def groups_between_valleys(depths: Values, limit: float) -> NDArray[np.intp]:
    """Which group each segment is of, when segments without a valley between them, deeper than `limit`, are one."""
    joined = depths < limit
    return np.asarray(connected_components(joined, directed=False)[1], dtype=np.intp)
