"""What can be read from a segmentation: who is in each segment."""

from gauger.profiling.profile import Profile, profile

__all__ = ["Profile", "profile"]
