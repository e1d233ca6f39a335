"""How far apart rows are, and how closely columns move together."""

from gauger.distances.agreement import adjusted_rand
from gauger.distances.coordinates import principal_coordinates
from gauger.distances.correlation import correlation_matrix, likeness_order
from gauger.distances.given import given_geometry
from gauger.distances.gower import MixedRows, gower_geometry
from gauger.distances.metrics import METRICS, SERIES_METRICS, Geometry, Settings, geometry

__all__ = [
    "METRICS",
    "SERIES_METRICS",
    "Geometry",
    "MixedRows",
    "Settings",
    "adjusted_rand",
    "correlation_matrix",
    "geometry",
    "given_geometry",
    "gower_geometry",
    "likeness_order",
    "principal_coordinates",
]
