"""k-means on arrays: seedings, raced starts, Lloyd's iterations with Hamerly's bounds, mergeable sums, coresets."""

from gauger.algorithms.kmeans.compiling import compile_kmeans
from gauger.algorithms.kmeans.kernels import refill
from gauger.algorithms.kmeans.lloyd import (
    LloydResult,
    assign,
    run_lloyd,
    squares_to_own,
    sums_of,
    total_squares,
    wcss_of,
)
from gauger.algorithms.kmeans.racing import FINISHED, Entrant, race
from gauger.algorithms.kmeans.seeding import SEEDERS, first_rows, seed_plusplus
from gauger.algorithms.kmeans.small_tables import (
    TWO_STARTS,
    Fitter,
    KmeansFitter,
    SmallFit,
    distinct_up_to,
    fits_by_count,
    small_fit,
    split_centres,
)

__all__ = [
    "FINISHED",
    "SEEDERS",
    "TWO_STARTS",
    "Entrant",
    "Fitter",
    "KmeansFitter",
    "LloydResult",
    "SmallFit",
    "assign",
    "compile_kmeans",
    "distinct_up_to",
    "first_rows",
    "fits_by_count",
    "race",
    "refill",
    "run_lloyd",
    "seed_plusplus",
    "small_fit",
    "split_centres",
    "squares_to_own",
    "sums_of",
    "total_squares",
    "wcss_of",
]
