"""Segmentation, the one result that every method returns, and what segments are like in their features."""

from gauger.segmentation.everyone_segmented import EveryoneSegmented
from gauger.segmentation.feature_summary import EVERYONE, FeatureSummary
from gauger.segmentation.from_codes import (
    distances_to_own,
    number_by_size,
    order_by_size,
    segmentation_from_codes,
)
from gauger.segmentation.segmentations import (
    UNASSIGNED,
    UNASSIGNED_NAME,
    AssignmentRule,
    Codes,
    Refit,
    Segmentation,
)

__all__ = [
    "EVERYONE",
    "UNASSIGNED",
    "UNASSIGNED_NAME",
    "AssignmentRule",
    "Codes",
    "EveryoneSegmented",
    "FeatureSummary",
    "Refit",
    "Segmentation",
    "distances_to_own",
    "number_by_size",
    "order_by_size",
    "segmentation_from_codes",
]
