"""From events to behaviour, and from behaviour to features on one scale, reversibly."""

from gauger.features.alike import about_new_levels, new_levels, prepare_alike
from gauger.features.cautions import HIGH_CORRELATION
from gauger.features.columns import LARGEST, Indicator, as_numbers
from gauger.features.events import events_sql, summarise_events
from gauger.features.feature_set import FeatureSet
from gauger.features.levels import Level
from gauger.features.preparing import prepare
from gauger.features.recipes import Recipe
from gauger.features.series import pivot_series
from gauger.features.sql_words import sql_name, sql_text
from gauger.features.transforms import TRANSFORMS, Power, Transform
from gauger.features.treatments import (
    MISSING_RULES,
    SCALES,
    Cap,
    Fill,
    Rank,
    Scale,
    Treatment,
    Weight,
    apply_all,
    undo_all,
)

__all__ = [
    "HIGH_CORRELATION",
    "LARGEST",
    "MISSING_RULES",
    "SCALES",
    "TRANSFORMS",
    "Cap",
    "FeatureSet",
    "Fill",
    "Indicator",
    "Level",
    "Power",
    "Rank",
    "Recipe",
    "Scale",
    "Transform",
    "Treatment",
    "Weight",
    "about_new_levels",
    "apply_all",
    "as_numbers",
    "events_sql",
    "new_levels",
    "pivot_series",
    "prepare",
    "prepare_alike",
    "sql_name",
    "sql_text",
    "summarise_events",
    "undo_all",
]
