"""Statistics on arrays: moments, ranks, correlation, contingency tables, intervals, tests and the dip."""

from gauger.algorithms.statistics.association import chi_square, cramers_v, cramers_v_interval, guessed_right
from gauger.algorithms.statistics.contingency import (
    adjusted_rand,
    best_match,
    contingency_table,
    jaccard_overlaps,
    purity,
)
from gauger.algorithms.statistics.correlation import correlation_matrix, correlation_order
from gauger.algorithms.statistics.dip import scaled_dip
from gauger.algorithms.statistics.intervals import LEVEL, clopper_pearson, difference_of_means, newcombe
from gauger.algorithms.statistics.moments import Moments, skewness, unit_of
from gauger.algorithms.statistics.multiple_tests import holm
from gauger.algorithms.statistics.order_statistics import (
    Edges,
    OrderStatistics,
    count_between,
    edges_around,
    mark_between,
    quantile_by,
)
from gauger.algorithms.statistics.ranks import ranks_among
from gauger.algorithms.statistics.repeated_rows import HiddenRepeats, hidden_repeats
from gauger.algorithms.statistics.smoothing import Smoother

__all__ = [
    "LEVEL",
    "Edges",
    "HiddenRepeats",
    "Moments",
    "OrderStatistics",
    "Smoother",
    "adjusted_rand",
    "best_match",
    "chi_square",
    "clopper_pearson",
    "contingency_table",
    "correlation_matrix",
    "correlation_order",
    "count_between",
    "cramers_v",
    "cramers_v_interval",
    "difference_of_means",
    "edges_around",
    "guessed_right",
    "hidden_repeats",
    "holm",
    "jaccard_overlaps",
    "mark_between",
    "newcombe",
    "purity",
    "quantile_by",
    "ranks_among",
    "scaled_dip",
    "skewness",
    "unit_of",
]
