"""From events to behaviour, and from behaviour to features on one scale, reversibly."""

from gauger.features.alike import about_new_levels, new_levels, prepare_alike
from gauger.features.category_levels import Level
from gauger.features.columns import LARGEST, Indicator, as_numbers, level_indicators, numeric_columns
from gauger.features.event_source import CUSTOMERS, EVENTS, no_events
from gauger.features.event_sql import EventColumns, EventSummary, in_dialect
from gauger.features.events import (
    Behaviour,
    behaviour_in_memory,
    behaviour_of,
    behaviour_of_files,
    events_sql,
    summarise_events,
)
from gauger.features.feature_cautions import HIGH_CORRELATION, FeatureFacts, cautions_from_sums
from gauger.features.feature_set import Everyone, FeatureSet
from gauger.features.preparation import Preparation, refuse_shared_names
from gauger.features.preparing import (
    about_columns_left_out,
    about_left_out,
    nobody_left,
    nobody_to_prepare,
    prepare,
    prepare_table,
    refuse_gaps,
)
from gauger.features.recipes import Recipe, TreatmentSettings
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
    "Behaviour",
    "Cap",
    "EventColumns",
    "EventSummary",
    "Everyone",
    "FeatureFacts",
    "FeatureSet",
    "Fill",
    "Indicator",
    "Level",
    "Power",
    "Preparation",
    "Rank",
    "Recipe",
    "Scale",
    "Transform",
    "Treatment",
    "TreatmentSettings",
    "Weight",
    "about_columns_left_out",
    "about_left_out",
    "about_new_levels",
    "apply_all",
    "as_numbers",
    "behaviour_in_memory",
    "behaviour_of",
    "behaviour_of_files",
    "cautions_from_sums",
    "events_sql",
    "in_dialect",
    "learn_transform",
    "learn_weight",
    "level_indicators",
    "new_levels",
    "no_events",
    "nobody_left",
    "nobody_to_prepare",
    "numeric_columns",
    "pivot_series",
    "prepare",
    "prepare_alike",
    "prepare_table",
    "refuse_gaps",
    "refuse_shared_names",
    "sql_layers",
    "sql_less",
    "sql_number",
    "sql_raw",
    "sql_step",
    "summarise_events",
    "undo_all",
]
