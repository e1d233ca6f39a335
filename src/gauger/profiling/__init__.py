"""What can be read from a segmentation: who is in each segment, and how far another one agrees."""

from gauger.profiling.assignments import segmentation_from_assignments
from gauger.profiling.comparison import Comparison, compare
from gauger.profiling.members import members
from gauger.profiling.profile import Profile, profile, profile_assignments
from gauger.segmentation import EVERYONE

__all__ = [
    "EVERYONE",
    "Comparison",
    "Profile",
    "compare",
    "members",
    "profile",
    "profile_assignments",
    "segmentation_from_assignments",
]
