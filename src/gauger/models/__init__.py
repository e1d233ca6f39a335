"""A segmentation that can be saved and applied to other customers: in memory, where they live, as SQL and PMML."""

from gauger.models.assigning import (
    MISSING,
    WHYS,
    Assigned,
    about_left_out,
    about_values,
    beyond_gates,
    columns_of,
    find_segments,
    gates_of,
    indicators_of,
)
from gauger.models.assignment_rules import Assigner, NearestCentre
from gauger.models.assignment_tally import AssignmentTally, counts_by_segment
from gauger.models.building import GATE_SHARE, bins_of, build_model, can_be_model
from gauger.models.learned import Exceptions, LearnedFeature, LearnedModel, LearnedSegment
from gauger.models.magnitudes import Quartiles
from gauger.models.model import SegmentModel, load_model
from gauger.models.model_files import save_model
from gauger.models.sql import placing_select

__all__ = [
    "GATE_SHARE",
    "MISSING",
    "WHYS",
    "Assigned",
    "Assigner",
    "AssignmentTally",
    "Exceptions",
    "LearnedFeature",
    "LearnedModel",
    "LearnedSegment",
    "NearestCentre",
    "Quartiles",
    "SegmentModel",
    "about_left_out",
    "about_values",
    "beyond_gates",
    "bins_of",
    "build_model",
    "can_be_model",
    "columns_of",
    "counts_by_segment",
    "find_segments",
    "gates_of",
    "indicators_of",
    "load_model",
    "placing_select",
    "save_model",
]
