"""From events to behaviour, and from behaviour to features on one scale, reversibly."""

from gauger.features.events import events_sql, summarise_events
from gauger.features.feature_set import FeatureSet
from gauger.features.preparing import prepare

__all__ = ["FeatureSet", "events_sql", "prepare", "summarise_events"]
