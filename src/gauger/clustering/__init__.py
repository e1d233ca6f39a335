"""Clustering: one method a file, compiled loops in kernels, merge trees in a room of their own."""

from gauger.clustering.bands import segment_by_bands
from gauger.clustering.density import segment_by_density, segment_by_density_levels
from gauger.clustering.kmeans import segment_by_kmeans
from gauger.clustering.merge_trees import MergeTree, build_tree

__all__ = [
    "MergeTree",
    "build_tree",
    "segment_by_bands",
    "segment_by_density",
    "segment_by_density_levels",
    "segment_by_kmeans",
]
