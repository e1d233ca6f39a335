"""How many segments: the studies, their diagnostics and the advice."""

from gauger.choosing.advice import CountAdvice
from gauger.choosing.counts import CountStudy, study_counts
from gauger.choosing.silhouettes import Silhouette, silhouette

__all__ = ["CountAdvice", "CountStudy", "Silhouette", "silhouette", "study_counts"]
