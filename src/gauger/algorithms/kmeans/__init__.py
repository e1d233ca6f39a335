"""k-means on arrays: seedings, raced starts, Lloyd's iterations with Hamerly's bounds, mergeable sums, coresets."""

from gauger.algorithms.kmeans.exact_sums import (
    BITS,
    BLOCK_ROWS,
    WholeSums,
    look_block,
    moments_block,
    square_steps_for,
    steps_for,
)
from gauger.algorithms.kmeans.iterating import Iterated, SegmentSums, SumSource, begin_anew, iterate
from gauger.algorithms.kmeans.kernels import refill
from gauger.algorithms.kmeans.kmeans_compiling import compile_kmeans, is_compiled
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
    "BITS",
    "BLOCK_ROWS",
    "FINISHED",
    "SEEDERS",
    "TWO_STARTS",
    "Entrant",
    "Fitter",
    "Iterated",
    "KmeansFitter",
    "LloydResult",
    "SegmentSums",
    "SmallFit",
    "SumSource",
    "WholeSums",
    "assign",
    "begin_anew",
    "compile_kmeans",
    "distinct_up_to",
    "first_rows",
    "fits_by_count",
    "is_compiled",
    "iterate",
    "look_block",
    "moments_block",
    "race",
    "refill",
    "run_lloyd",
    "seed_plusplus",
    "small_fit",
    "split_centres",
    "square_steps_for",
    "squares_to_own",
    "steps_for",
    "sums_of",
    "total_squares",
    "wcss_of",
]
