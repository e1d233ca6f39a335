"""Merge trees: customers or features joined two by two."""

from gauger.clustering.merge_trees.build import Metric, build_tree
from gauger.clustering.merge_trees.tree import MergeTree

__all__ = ["MergeTree", "Metric", "build_tree"]
