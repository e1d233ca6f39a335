"""Statistics on arrays: moments, ranks, correlation, contingency tables, intervals, tests and the dip."""

from gauger.algorithms.statistics.contingency import adjusted_rand
from gauger.algorithms.statistics.correlation import correlation_matrix, correlation_order
from gauger.algorithms.statistics.dip import scaled_dip
from gauger.algorithms.statistics.intervals import LEVEL, difference_of_means, newcombe
from gauger.algorithms.statistics.ranks import ranks_among

__all__ = [
    "LEVEL",
    "adjusted_rand",
    "correlation_matrix",
    "correlation_order",
    "difference_of_means",
    "newcombe",
    "ranks_among",
    "scaled_dip",
]
