"""Many cheap starts on a sample, of which the best few are finished: as good as ten full ones, and far quicker."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans.coreset import coreset
from gauger.algorithms.kmeans.kernels import iterate_block
from gauger.algorithms.kmeans.lloyd import wcss_of
from gauger.algorithms.kmeans.seeding import Seeder
from gauger.algorithms.parallel import map_jobs
from gauger.algorithms.row_order import RowOrder

SAMPLE = 4_000
"""Rows of the coreset that starts race on: enough for the three best to be as good as ten full starts
(`benchmarks.kmeans_starts`)."""

FINISHED = 3
"""How many of the race are finished on all rows (`benchmarks.kmeans_starts`)."""

_CHEAP_STARTS = 4
"""Starts raced for each one asked for (`benchmarks.kmeans_starts`)."""

_TRIAL_ITERATIONS = 12
"""Iterations of a race (`benchmarks.kmeans_starts`)."""

_SAME = 1e-9
"""Relative: two starts that came this near came to the same."""

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Entrant:
    """One start: its number from 1, where it began, the centres (k, d) to go on from, and the race's sum of squares."""

    number: int
    seeding: str
    centres: Values
    wcss: float = np.nan


def race(
    points: RowOrder,
    count: int,
    seeder: Seeder,
    seeding: str,
    starts: int,
    seed: np.random.SeedSequence,
) -> list[Entrant]:
    """Start four times `starts` times on a sample of up to 4,000 points, for a dozen iterations; the best first.

    Starts that came to the same sum of squares count as one. There must be `count` distinct points. Where the sample
    is everyone, the best are to be run again from where they began, so that their history can be told.
    """
    sampling, *streams = seed.spawn(1 + starts * _CHEAP_STARTS)
    field = points
    if points.size > SAMPLE:
        field = coreset(points, SAMPLE, np.random.default_rng(sampling))
        if len(field.distinct()) < count:
            field = points

    def start(job: tuple[int, np.random.SeedSequence]) -> Entrant:
        number, stream = job
        origin = seeder(field, count, np.random.default_rng(stream))
        centres = origin.copy()
        codes = np.full(field.size, -1, dtype=np.int32)
        iterate_block(field.columns, field.weights, centres, codes, _TRIAL_ITERATIONS)
        wcss = wcss_of(field.columns, field.weights, centres, codes)
        return Entrant(number, seeding, origin if field is points else centres, wcss)

    return best_first(map_jobs(start, enumerate(streams, 1)))


def best_first(entrants: Iterable[Entrant]) -> list[Entrant]:
    """By sum of squares; of those that came to the same, the first one."""
    kept: list[Entrant] = []
    for entrant in sorted(entrants, key=lambda entrant: (entrant.wcss, entrant.number)):
        if not kept or entrant.wcss > kept[-1].wcss * (1.0 + _SAME):
            kept.append(entrant)
    return kept
