"""How many segments, which radius, linkage or metric: the studies and their advice."""

from gauger.choosing.advice import CountAdvice
from gauger.choosing.changes import change_in_words
from gauger.choosing.count_studies import CountStudy, possible_counts, study_counts
from gauger.choosing.linkage_studies import LinkageAdvice, LinkageStudy, study_linkages
from gauger.choosing.metric_studies import NEIGHBOURS, MetricAdvice, MetricStudy, study_metrics
from gauger.choosing.picks import SHARP, STABLE
from gauger.choosing.radius_advice import STEADY, RadiusAdvice, plateaus_of
from gauger.choosing.radius_studies import RadiusStudy, refuse_bad_coarseness, study_radius
from gauger.choosing.silhouette_results import Silhouette, silhouette

__all__ = [
    "NEIGHBOURS",
    "SHARP",
    "STABLE",
    "STEADY",
    "CountAdvice",
    "CountStudy",
    "LinkageAdvice",
    "LinkageStudy",
    "MetricAdvice",
    "MetricStudy",
    "RadiusAdvice",
    "RadiusStudy",
    "Silhouette",
    "change_in_words",
    "plateaus_of",
    "possible_counts",
    "refuse_bad_coarseness",
    "silhouette",
    "study_counts",
    "study_linkages",
    "study_metrics",
    "study_radius",
]
