"""From events to behaviour, and from behaviour to features on one scale, reversibly."""

from gauger.features.alike import prepare_alike
from gauger.features.events import events_sql, summarise_events
from gauger.features.feature_set import FeatureSet
from gauger.features.preparing import prepare
from gauger.features.series import pivot_series

__all__ = ["FeatureSet", "events_sql", "pivot_series", "prepare", "prepare_alike", "summarise_events"]
