"""Density: segments of any shape where customers stand close, and customers in none where they do not."""

from gauger.clustering.density.levels import segment_by_density_levels
from gauger.clustering.density.radius import segment_by_density

__all__ = ["segment_by_density", "segment_by_density_levels"]
