"""What changed: the drift of a model's customers, and migration between segments."""

from gauger.monitoring.drifting import Drift, DriftAdvice, drift
from gauger.monitoring.migrating import Migration, migration

__all__ = [
    "Drift",
    "DriftAdvice",
    "Migration",
    "drift",
    "migration",
]
