"""How many segments, which radius, linkage or metric: the studies, their diagnostics and the advice."""

from gauger.choosing.advice import CountAdvice
from gauger.choosing.counts import CountStudy, study_counts
from gauger.choosing.linkages import LinkageStudy, study_linkages
from gauger.choosing.metrics import MetricStudy, study_metrics
from gauger.choosing.radii import RadiusStudy, study_radius
from gauger.choosing.radius_advice import RadiusAdvice
from gauger.choosing.silhouettes import Silhouette, silhouette

__all__ = [
    "CountAdvice",
    "CountStudy",
    "LinkageStudy",
    "MetricStudy",
    "RadiusAdvice",
    "RadiusStudy",
    "Silhouette",
    "silhouette",
    "study_counts",
    "study_linkages",
    "study_metrics",
    "study_radius",
]
