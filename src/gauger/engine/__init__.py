"""k-means over more customers than memory holds: files in parts, on this machine's threads or on a cluster."""

from gauger.engine.assigning import StreamedAssignments, assign_file
from gauger.engine.bottom_rows import BottomRows
from gauger.engine.cautions import about_tiny
from gauger.engine.crews import Crew, Everyone, ThreadCrew
from gauger.engine.dask_crew import crew_for
from gauger.engine.moments import Moments
from gauger.engine.parts import Parts, first_block, is_too_large, parts_of, refuse_output_among
from gauger.engine.reading import Steps
from gauger.engine.results import PartProfile, PartSegments
from gauger.engine.segmenting import about_sample, refuse_count, segment_parts
from gauger.engine.steps import (
    QUARTILES,
    BeforeScale,
    counted,
    dropped_by,
    ends_of,
    indicator_steps,
    indicators_of,
    on_each,
    quantiles_wanted,
    refuse_unlearnable,
    scales_of,
    shares_of,
)
from gauger.engine.survey import MOST_COUNTED, Survey, refuse_gaps, refuse_many_levels
from gauger.engine.treating import Treated, about_left_out, learned_features, treat_parts
from gauger.engine.wanted import SAMPLE, Wanted

__all__ = [
    "MOST_COUNTED",
    "QUARTILES",
    "SAMPLE",
    "BeforeScale",
    "BottomRows",
    "Crew",
    "Everyone",
    "Moments",
    "PartProfile",
    "PartSegments",
    "Parts",
    "Steps",
    "StreamedAssignments",
    "Survey",
    "ThreadCrew",
    "Treated",
    "Wanted",
    "about_left_out",
    "about_sample",
    "about_tiny",
    "assign_file",
    "counted",
    "crew_for",
    "dropped_by",
    "ends_of",
    "first_block",
    "indicator_steps",
    "indicators_of",
    "is_too_large",
    "learned_features",
    "on_each",
    "parts_of",
    "quantiles_wanted",
    "refuse_count",
    "refuse_gaps",
    "refuse_many_levels",
    "refuse_output_among",
    "refuse_unlearnable",
    "scales_of",
    "segment_parts",
    "shares_of",
    "treat_parts",
]
