"""Merge trees on arrays: every linkage, the merges in order, and what follows from them."""

from gauger.algorithms.merge_trees.branches import (
    branches_after,
    highest_below,
    inverted,
    larger_left,
    leaf_order,
    positions,
    sizes_of,
)
from gauger.algorithms.merge_trees.cophenetic import cophenetic_distances
from gauger.algorithms.merge_trees.lance_williams import MATRIX_LINKAGES
from gauger.algorithms.merge_trees.linkages import LINKAGES, POINT_LINKAGES, TreeInput, merge_all, precision_for
from gauger.algorithms.merge_trees.merges import Merges
from gauger.algorithms.merge_trees.micro_segments import MicroSegments, condense_points
from gauger.algorithms.merge_trees.optimal_order import MOST_LEAVES, in_best_order
from gauger.algorithms.merge_trees.single_linkage import merges_of_links
from gauger.algorithms.merge_trees.small_trees import TreeFitter

__all__ = [
    "LINKAGES",
    "MATRIX_LINKAGES",
    "MOST_LEAVES",
    "POINT_LINKAGES",
    "Merges",
    "MicroSegments",
    "TreeFitter",
    "TreeInput",
    "branches_after",
    "condense_points",
    "cophenetic_distances",
    "highest_below",
    "in_best_order",
    "inverted",
    "larger_left",
    "leaf_order",
    "merge_all",
    "merges_of_links",
    "positions",
    "precision_for",
    "sizes_of",
]
