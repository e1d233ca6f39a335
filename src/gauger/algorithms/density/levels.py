"""Density levels: which branches of the density hierarchy are segments (Campello, Moulavi & Sander 2013)."""

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.density.dbscan import NOBODY, usual_min_points
from gauger.algorithms.density.dense_spots import with_spots
from gauger.algorithms.density.hierarchy import Hierarchy, hierarchy_of
from gauger.algorithms.merge_trees import Merges

Rows = NDArray[np.intp]
Values = NDArray[np.float64]


_DEEP = {1: (4.8, 0.65), 2: (6.8, 1.0), 3: (4.8, 1.0)}
"""As `_DEEP_BEYOND`, by number of features."""


_DEEP_BEYOND = (4.4, 1.0)
"""How much denser (a difference of logarithms) a branch must be than where it came apart, a / min_points**b by number
of features: what clouds of one peak reach by chance in 3 of 100 (`python -m benchmarks.levels`)."""


_SMOOTH, _SMOOTH_BEYOND, _MANY = 20, 12, 20_000
"""Min points, for one or two features and for more, that let a small group stand out from chance most often in the same
simulation; beyond so many points fewer will do, and one feature needs them always."""


def split_hierarchy(merges: Merges, reach: Values, features: int, smallest: int, min_points: int) -> Hierarchy:
    """The hierarchy of branches whose splits are deep, from merges by mutual reachability and each one's reach (n,)."""
    found = hierarchy_of(merges, smallest)
    factor, power = _DEEP.get(features, _DEEP_BEYOND)
    deep = depths(found, reach, features) >= factor / min_points**power
    return with_spots(found.without_shallow_splits(deep), merges, reach, features, smallest)


def groups_of_levels(found: Hierarchy) -> tuple[Rows, Rows]:
    """The branches that are segments, and the place among them of each point's (n,), -1 for none."""
    chosen = found.with_what_is_inside(found.most_stable())
    home = found.under(chosen)[found.branch]
    return np.array(chosen), np.where(home < 0, NOBODY, np.searchsorted(chosen, home))


def usual_smoothing(features: int, points: int, smallest: int) -> int:
    """Min points of density levels, where nobody says."""
    smooth = _SMOOTH if features < 3 else _SMOOTH_BEYOND
    wanted = smooth if features == 1 or points <= _MANY else 0
    return min(max(usual_min_points(features), wanted), smallest)


def depths(found: Hierarchy, reach: Values, features: int) -> Values:
    """By branch, the logarithm of how many times denser its points stand than where it came apart from others."""
    positive = reach[reach > 0.0]
    logs = np.log(np.maximum(reach, positive.min())) if positive.size else np.zeros(len(reach))
    return features * (np.log(found.born) - found.gathered(logs) / found.gathered(np.ones(len(reach))))
