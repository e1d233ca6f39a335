"""A segmentation that can be saved and applied to other customers: in memory, by blocks of a file, as SQL and PMML."""

from gauger.models.assigning import (
    MISSING,
    WHYS,
    Assigned,
    about_left_out,
    about_values,
    beyond_gates,
    changed_unit_of,
    changed_units,
    columns_of,
    find_segments,
    gates_of,
    indicators_of,
    outside_of,
)
from gauger.models.building import GATE_SHARE, bins_of, build_model, can_be_model
from gauger.models.files import save_model
from gauger.models.learned import Exceptions, LearnedFeature, LearnedModel, LearnedSegment
from gauger.models.model import SegmentModel, load_model
from gauger.models.rules import Assigner, NearestCentre
from gauger.models.sql import placing_select

__all__ = [
    "GATE_SHARE",
    "MISSING",
    "WHYS",
    "Assigned",
    "Assigner",
    "Exceptions",
    "LearnedFeature",
    "LearnedModel",
    "LearnedSegment",
    "NearestCentre",
    "SegmentModel",
    "about_left_out",
    "about_values",
    "beyond_gates",
    "bins_of",
    "build_model",
    "can_be_model",
    "changed_unit_of",
    "changed_units",
    "columns_of",
    "find_segments",
    "gates_of",
    "indicators_of",
    "load_model",
    "outside_of",
    "placing_select",
    "save_model",
]
