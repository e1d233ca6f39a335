"""How far apart rows are, and how closely columns move together."""

from gauger.distances.correlation import correlation_matrix, likeness_order

__all__ = ["correlation_matrix", "likeness_order"]
