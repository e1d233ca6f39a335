"""How good segments are, and how many: silhouette, elbow, gap, separation, stability, validity."""

from gauger.algorithms.diagnostics.elbow import Elbow, find_elbow
from gauger.algorithms.diagnostics.gap import Gap, gap_statistic
from gauger.algorithms.diagnostics.isolates import isolated, nth_neighbour_distances
from gauger.algorithms.diagnostics.knee import Knee, find_knee
from gauger.algorithms.diagnostics.one_cloud import OneCloud
from gauger.algorithms.diagnostics.resampling import prediction_strength, stability
from gauger.algorithms.diagnostics.separation import calinski_harabasz, davies_bouldin
from gauger.algorithms.diagnostics.silhouette_sampling import (
    EXACT_UP_TO,
    SAMPLE,
    sample_by_segment,
    sampled_silhouettes,
    silhouettes_in_sample,
)
from gauger.algorithms.diagnostics.silhouettes import compile_silhouettes, silhouette_values, silhouettes_from_sums
from gauger.algorithms.diagnostics.ties import SmoothTable, smooth_table, standardised
from gauger.algorithms.diagnostics.validity import density_validity
from gauger.algorithms.diagnostics.valleys import DEEP, Valleys, joined, shallow_from, shallowest_neighbours

__all__ = [
    "DEEP",
    "EXACT_UP_TO",
    "SAMPLE",
    "Elbow",
    "Gap",
    "Knee",
    "OneCloud",
    "SmoothTable",
    "Valleys",
    "calinski_harabasz",
    "compile_silhouettes",
    "davies_bouldin",
    "density_validity",
    "find_elbow",
    "find_knee",
    "gap_statistic",
    "isolated",
    "joined",
    "nth_neighbour_distances",
    "prediction_strength",
    "sample_by_segment",
    "sampled_silhouettes",
    "shallow_from",
    "shallowest_neighbours",
    "silhouette_values",
    "silhouettes_from_sums",
    "silhouettes_in_sample",
    "smooth_table",
    "stability",
    "standardised",
]
