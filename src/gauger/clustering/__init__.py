"""From a FeatureSet to a Segmentation: a file a method, its cautions beside it."""

from gauger.clustering.bands import segment_by_bands
from gauger.clustering.customer_distances import CUSTOMER_METRICS, Metric, distances_of, neighbours_of
from gauger.clustering.density_at_radius import CORE, checked_min_points, segment_by_density
from gauger.clustering.density_cautions import NEARLY_ALL, about_density
from gauger.clustering.density_levels import checked_smallest, segment_by_density_levels
from gauger.clustering.density_outcome import key_ranks
from gauger.clustering.given_centres import SEEDINGS
from gauger.clustering.kmeans import (
    Fit,
    finish_best,
    kmeans_refit,
    refuse_bad_settings,
    refuse_too_few_distinct,
    segment_by_kmeans,
    segmentation_of,
)
from gauger.clustering.kmeans_cautions import about_iterations, about_kmeans, far_customers
from gauger.clustering.merge_tree import MergeTree
from gauger.clustering.method_words import linkage_words, words_of
from gauger.clustering.ordering import order_customers
from gauger.clustering.repeating import METHODS, refit_of, rule_of, segment_again
from gauger.clustering.roundness import about_roundness
from gauger.clustering.segment_cautions import tiny_segments
from gauger.clustering.spread_ties import without_ties
from gauger.clustering.tree_building import build_tree

__all__ = [
    "CORE",
    "CUSTOMER_METRICS",
    "METHODS",
    "NEARLY_ALL",
    "SEEDINGS",
    "Fit",
    "MergeTree",
    "Metric",
    "about_density",
    "about_iterations",
    "about_kmeans",
    "about_roundness",
    "build_tree",
    "checked_min_points",
    "checked_smallest",
    "distances_of",
    "far_customers",
    "finish_best",
    "key_ranks",
    "kmeans_refit",
    "linkage_words",
    "neighbours_of",
    "order_customers",
    "refit_of",
    "refuse_bad_settings",
    "refuse_too_few_distinct",
    "rule_of",
    "segment_again",
    "segment_by_bands",
    "segment_by_density",
    "segment_by_density_levels",
    "segment_by_kmeans",
    "segmentation_of",
    "tiny_segments",
    "without_ties",
    "words_of",
]
