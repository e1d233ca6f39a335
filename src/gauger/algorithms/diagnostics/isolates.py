"""Points without neighbours: set aside while the count is studied, for a few of them can hide every group."""

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from gauger.algorithms.parallel import thread_count

_NEIGHBOURS = 3
"""Which neighbour tells who is isolated: a pair of copies is still alone; judgement."""

_FENCE = 2.0
"""Quartile widths beyond the upper quartile, on logarithms: Tukey's fence (1977, 1.5) a little wider; judgement."""

_MOST = 0.05
"""At most this share of the points is ever set aside: judgement."""

Values = NDArray[np.float64]


def isolated(values: Values) -> NDArray[np.bool_]:
    """Which of the points (n, d) are isolated: their 3rd neighbour is far, compared with everyone else's.

    With the 3rd, a group of a dozen that lies by itself is not taken for a dozen points alone. On logarithms of that
    distance: beyond the upper quartile by twice the distance of the quartiles, and among the farthest 5 %.
    """
    distances = nth_neighbour_distances(values, _NEIGHBOURS)
    positive = distances[distances > 0.0]
    if len(values) <= 2 * _NEIGHBOURS or not positive.size:
        return np.zeros(len(values), dtype=np.bool_)
    logs = np.log(np.maximum(distances, positive.min()))
    lower, upper, last = np.quantile(logs, (0.25, 0.75, 1.0 - _MOST))
    return np.asarray(logs > max(upper + _FENCE * (upper - lower), last))


def nth_neighbour_distances(values: Values, neighbour: int) -> Values:
    """Each point's distance (n,) to its nth nearest neighbour, or to the farthest point when there are fewer."""
    nearest = min(neighbour, len(values) - 1) + 1
    distances = cKDTree(values).query(values, k=[nearest], workers=thread_count())[0]
    return np.asarray(distances[:, 0])
