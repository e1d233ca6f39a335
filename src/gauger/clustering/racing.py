"""Many cheap starts on a sample, of which the best few are finished: as good as ten full ones, and far quicker."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.clustering.arrangement import Arrangement
from gauger.clustering.blocks import map_jobs
from gauger.clustering.kernels import settle
from gauger.clustering.rounds import spread_of
from gauger.clustering.seeding import Seeder

SAMPLE = 4_000
FINISHED = 3

_CHEAP_STARTS = 4
_CHEAP_ROUNDS = 12
_SAME = 1e-9

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Entrant:
    """One start of the race: the centres it came to on the sample, and the sum of squares there."""

    number: int
    centres: Values
    wcss: float


def race(
    customers: Arrangement,
    count: int,
    seeder: Seeder,
    starts: int,
    seed: np.random.SeedSequence,
    others: Sequence[Values] = (),
) -> list[Entrant]:
    """Start four times `starts` times on a sample of up to 4,000 customers, for a dozen rounds; best first.

    `others` are centres to start from beside the seeded ones. Starts that came to the same sum of squares count once.
    An empty list says that fewer than `count` customers are distinct.
    """
    sampling, *streams = seed.spawn(1 + starts * _CHEAP_STARTS)
    field = customers
    if customers.customers > SAMPLE:
        field = customers.digest(SAMPLE, np.random.default_rng(sampling))
        if len(field.distinct()) < count:
            field = customers

    def start(job: tuple[int, np.random.SeedSequence | Values]) -> Entrant | None:
        number, origin = job
        if isinstance(origin, np.random.SeedSequence):
            seeds = seeder(field, count, np.random.default_rng(origin))
            if seeds is None:
                return None
        else:
            seeds = origin.copy()
        codes = np.full(field.customers, -1, dtype=np.int32)
        settle(field.columns, field.weights, seeds, codes, _CHEAP_ROUNDS)
        return Entrant(number, seeds, spread_of(field.columns, field.weights, seeds, codes))

    entrants = [entrant for entrant in map_jobs(start, list(enumerate([*streams, *others], 1))) if entrant is not None]
    entrants.sort(key=lambda entrant: (entrant.wcss, entrant.number))
    kept: list[Entrant] = []
    for entrant in entrants:
        if not kept or entrant.wcss > kept[-1].wcss * (1.0 + _SAME):
            kept.append(entrant)
    return kept
