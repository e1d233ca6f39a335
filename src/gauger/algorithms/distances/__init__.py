"""How far apart rows are: the metrics, and the loop that every Euclidean distance goes through."""

from gauger.algorithms.distances.coordinates import principal_coordinates
from gauger.algorithms.distances.given import given_geometry
from gauger.algorithms.distances.gower import MixedRows, gower_geometry
from gauger.algorithms.distances.metrics import METRICS, SERIES_METRICS, Geometry, MetricSettings, geometry
from gauger.algorithms.distances.tiles import TILE, tile_distances

__all__ = [
    "METRICS",
    "SERIES_METRICS",
    "TILE",
    "Geometry",
    "MetricSettings",
    "MixedRows",
    "geometry",
    "given_geometry",
    "gower_geometry",
    "principal_coordinates",
    "tile_distances",
]
