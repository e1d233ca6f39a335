"""A segmentation that can be saved and applied to other customers, and what changes over time."""

from gauger.models.building import build_model
from gauger.models.drifting import Drift, drift
from gauger.models.files import load_model
from gauger.models.migrating import Migration, migration
from gauger.models.model import SegmentModel
from gauger.models.streaming import StreamedAssignments, assign_file

__all__ = [
    "Drift",
    "Migration",
    "SegmentModel",
    "StreamedAssignments",
    "assign_file",
    "build_model",
    "drift",
    "load_model",
    "migration",
]
