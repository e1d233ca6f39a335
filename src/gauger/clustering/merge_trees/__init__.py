"""Merge trees: customers or features joined two by two."""

from gauger.clustering.customer_distances import Metric
from gauger.clustering.merge_trees.build import build_tree
from gauger.clustering.merge_trees.tree import MergeTree

__all__ = ["MergeTree", "Metric", "build_tree"]
