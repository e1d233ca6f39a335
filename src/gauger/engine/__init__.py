"""k-means over more customers than memory holds: files in parts, on this machine's threads or on a cluster."""

from gauger.engine.assigning import StreamedAssignments, assign_file
from gauger.engine.crews import Crew, Everyone, ThreadCrew
from gauger.engine.dask_crew import crew_for
from gauger.engine.parts import Parts, first_block, is_too_large, parts_of, refuse_output_among
from gauger.engine.results import PartProfile, PartSegments
from gauger.engine.segmenting import segment_parts
from gauger.engine.treating import Treated, learned_features, treat_parts
from gauger.engine.wanted import SAMPLE, Wanted

__all__ = [
    "SAMPLE",
    "Crew",
    "Everyone",
    "PartProfile",
    "PartSegments",
    "Parts",
    "StreamedAssignments",
    "ThreadCrew",
    "Treated",
    "Wanted",
    "assign_file",
    "crew_for",
    "first_block",
    "is_too_large",
    "learned_features",
    "parts_of",
    "refuse_output_among",
    "segment_parts",
    "treat_parts",
]
