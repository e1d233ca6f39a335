"""A segmentation that can be saved and applied to other customers, and what changes over time."""

from gauger.models.building import build_model
from gauger.models.files import load_model
from gauger.models.model import SegmentModel
from gauger.models.streaming import StreamedAssignments, assign_file

__all__ = ["SegmentModel", "StreamedAssignments", "assign_file", "build_model", "load_model"]
