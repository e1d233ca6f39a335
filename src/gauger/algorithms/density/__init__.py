"""Density on arrays: one radius (DBSCAN), the hierarchy of all radii, and dense spots."""

from gauger.algorithms.density.dbscan import _LEAST_POINTS, NOBODY, Dense, spread_from, usual_min_points
from gauger.algorithms.density.hierarchy import Hierarchy
from gauger.algorithms.density.levels import groups_of_levels, levels_of, usual_smoothing

__all__ = [
    "NOBODY",
    "_LEAST_POINTS",
    "Dense",
    "Hierarchy",
    "groups_of_levels",
    "levels_of",
    "spread_from",
    "usual_min_points",
    "usual_smoothing",
]
