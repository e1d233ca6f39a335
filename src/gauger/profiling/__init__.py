"""What can be read from a segmentation: who is in each segment."""

from gauger.profiling.profile import EVERYONE, Profile, profile, profile_assignments

__all__ = ["EVERYONE", "Profile", "profile", "profile_assignments"]
