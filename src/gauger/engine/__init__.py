"""k-means over more customers than memory holds: files in parts, on this machine's threads or on a cluster."""

from gauger.engine.crews import Crew, Everyone, ThreadCrew
from gauger.engine.parts import Parts, files_of, is_many_files, parts_of, refuse_output_among
from gauger.engine.results import PartProfile, PartSegments
from gauger.engine.segmenting import segment_parts
from gauger.engine.wanted import SAMPLE, Wanted

__all__ = [
    "SAMPLE",
    "Crew",
    "Everyone",
    "PartProfile",
    "PartSegments",
    "Parts",
    "ThreadCrew",
    "Wanted",
    "files_of",
    "is_many_files",
    "parts_of",
    "refuse_output_among",
    "segment_parts",
]
