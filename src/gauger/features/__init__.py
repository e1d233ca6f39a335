"""From events to behaviour, and from behaviour to features on one scale, reversibly."""

from gauger.features.alike import about_new_levels, new_levels, prepare_alike
from gauger.features.cautions import HIGH_CORRELATION, FeatureFacts, cautions_from_sums
from gauger.features.columns import LARGEST, Indicator, as_numbers, level_indicators, numeric_columns
from gauger.features.event_source import CUSTOMERS, EVENTS
from gauger.features.event_sql import EventColumns, in_dialect
from gauger.features.events import Told, behaviour_of, events_sql, nouns_of, summarise_events, summarise_to_file
from gauger.features.feature_set import FeatureSet
from gauger.features.levels import Level
from gauger.features.preparing import prepare
from gauger.features.recipes import Recipe, TreatmentSettings, refuse_strangers
from gauger.features.series import pivot_series
from gauger.features.transforms import TRANSFORMS, Power, Transform, learn_transform
from gauger.features.treatment_sql import DOUBLE, sql_layers, sql_less, sql_number, sql_raw, sql_step
from gauger.features.treatments import (
    MISSING_RULES,
    NO_RANGE,
    NORMAL_QUARTILES,
    SCALES,
    Cap,
    Fill,
    Rank,
    Scale,
    Treatment,
    Weight,
    apply_all,
    learn_weight,
    undo_all,
)

__all__ = [
    "CUSTOMERS",
    "DOUBLE",
    "EVENTS",
    "HIGH_CORRELATION",
    "LARGEST",
    "MISSING_RULES",
    "NORMAL_QUARTILES",
    "NO_RANGE",
    "SCALES",
    "TRANSFORMS",
    "Cap",
    "EventColumns",
    "FeatureFacts",
    "FeatureSet",
    "Fill",
    "Indicator",
    "Level",
    "Power",
    "Rank",
    "Recipe",
    "Scale",
    "Told",
    "Transform",
    "Treatment",
    "TreatmentSettings",
    "Weight",
    "about_new_levels",
    "apply_all",
    "as_numbers",
    "behaviour_of",
    "cautions_from_sums",
    "events_sql",
    "in_dialect",
    "learn_transform",
    "learn_weight",
    "level_indicators",
    "new_levels",
    "nouns_of",
    "numeric_columns",
    "pivot_series",
    "prepare",
    "prepare_alike",
    "refuse_strangers",
    "sql_layers",
    "sql_less",
    "sql_number",
    "sql_raw",
    "sql_step",
    "summarise_events",
    "summarise_to_file",
    "undo_all",
]
