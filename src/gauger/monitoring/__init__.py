"""What changed: the drift of a model's customers, and migration between segments."""

from gauger.monitoring.drifting import (
    CustomersNow,
    Drift,
    DriftAdvice,
    FeatureNow,
    SegmentNow,
    drift,
    drift_from,
    nobody_to_compare,
)
from gauger.monitoring.migrating import Migration, migration

__all__ = [
    "CustomersNow",
    "Drift",
    "DriftAdvice",
    "FeatureNow",
    "Migration",
    "SegmentNow",
    "drift",
    "drift_from",
    "migration",
    "nobody_to_compare",
]
