"""How many segments: the studies, their diagnostics and the advice."""

from gauger.choosing.advice import CountAdvice
from gauger.choosing.counts import CountStudy, study_counts
from gauger.choosing.linkages import LinkageStudy, study_linkages
from gauger.choosing.metrics import MetricStudy, study_metrics
from gauger.choosing.silhouettes import Silhouette, silhouette

__all__ = [
    "CountAdvice",
    "CountStudy",
    "LinkageStudy",
    "MetricStudy",
    "Silhouette",
    "silhouette",
    "study_counts",
    "study_linkages",
    "study_metrics",
]
