"""Density on arrays: one radius (DBSCAN), the hierarchy of all radii, and dense spots."""

from gauger.algorithms.density.dbscan import _LEAST_POINTS, NOBODY, DensityGroups, spread_groups, usual_min_points
from gauger.algorithms.density.hierarchy import Hierarchy
from gauger.algorithms.density.levels import groups_of_levels, split_hierarchy, usual_smoothing

__all__ = [
    "NOBODY",
    "_LEAST_POINTS",
    "DensityGroups",
    "Hierarchy",
    "groups_of_levels",
    "split_hierarchy",
    "spread_groups",
    "usual_min_points",
    "usual_smoothing",
]
