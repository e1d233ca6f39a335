"""DBSCAN: core points at one radius, the border around them, and everyone else (Ester, Kriegel, Sander & Xu 1996)."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.neighbours import Neighbours

Rows = NDArray[np.intp]
Values = NDArray[np.float64]


NOBODY = -1
"""The group of who is in none."""

_LEAST_POINTS = 4
"""The fewest min points: fewer chain through pairs (Sander et al. 1998, as quoted by Schubert et al. 2017)."""


@dataclass(frozen=True, eq=False)
class DensityGroups:
    """What one radius makes of n points: `group` (n,) from 0, -1 for none; and of each that is not core the
    `nearest` core point (n,), -1 where there is none, and how far that is, `gaps` (n,)."""

    group: Rows
    nearest: Rows
    gaps: Values


def spread_groups(near: Neighbours, cores: Rows, core_groups: Rows, radius: float, rank: Rows) -> DensityGroups:
    """Core points in their groups, and everyone else in that of the nearest of them, if within the radius."""
    group, nearest = np.full(len(rank), NOBODY), np.full(len(rank), NOBODY)
    gaps = np.full(len(rank), np.nan)
    if cores.size:
        group[cores] = core_groups
        others = np.flatnonzero(group == NOBODY)
        nearest[others], gaps[others] = near.nearest(others, cores, rank)
        within = others[gaps[others] <= radius]
        group[within] = group[nearest[within]]
    return DensityGroups(group, nearest, gaps)


def usual_min_points(features: int) -> int:
    """Twice the features, at least 4: Schubert et al. (2017), after Sander et al. (1998)."""
    return max(_LEAST_POINTS, 2 * features)
