"""k-means for many counts of one small table at once: what studies do hundreds of times, on one thread each."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans.kernels import iterate_block
from gauger.algorithms.kmeans.lloyd import sums_of, wcss_of
from gauger.algorithms.kmeans.seeding import scatter_seeds

_TRIAL_ITERATIONS = 8
"""Iterations after which the best start is chosen: judgement, as for the race."""

_ITERATIONS = 100
"""The most iterations: small tables have long come to rest by then."""

_SPLIT = 2
"""How many of the widest segments are tried as the one to split: judgement."""

Values = NDArray[np.float64]
Codes = NDArray[np.int32]


@dataclass(frozen=True, eq=False)
class SmallFit:
    """Codes (n,) from 0, centres (k, d) and the sum of squares of one count."""

    codes: Codes
    centres: Values
    wcss: float


class Fitter(Protocol):
    """A way to segment one small table (d, n) with each of the rising counts, of which studies need many."""

    def __call__(
        self, columns: Values, counts: Iterable[int], rng: np.random.Generator, /, weights: Values | None = None
    ) -> dict[int, SmallFit]:
        """Codes, centres and the sum of squares by count."""


@dataclass(frozen=True)
class KmeansFitter:
    """k-means, the best of `starts` seedings."""

    starts: int

    def __call__(
        self, columns: Values, counts: Iterable[int], rng: np.random.Generator, weights: Values | None = None
    ) -> dict[int, SmallFit]:
        """Codes, centres and the sum of squares by count."""
        return fits_by_count(columns, counts, rng, starts=self.starts, weights=weights)


TWO_STARTS = KmeansFitter(2)
"""What resampling studies use: two starts and two splits; judgement."""


def fits_by_count(
    columns: Values, counts: Iterable[int], rng: np.random.Generator, *, starts: int, weights: Values | None = None
) -> dict[int, SmallFit]:
    """The best of a few starts for each of the rising counts; each count also starts from the one before it, split.

    `columns` (d, n) with at least as many distinct points as the largest count. `starts` k-means++ seedings and two
    splits go eight iterations, the best one goes on until nothing moves.
    """
    own = np.ones(columns.shape[1]) if weights is None else weights
    fits: dict[int, SmallFit] = {}
    previous: SmallFit | None = None
    for count in counts:
        origins = [_scattered(columns, own, count, rng) for _ in range(starts if count > 1 else 1)]
        if previous is not None and count == len(previous.centres) + 1:
            origins += split_centres(columns, own, previous.codes, previous.centres)
        trials = [small_fit(columns, own, origin, _TRIAL_ITERATIONS) for origin in origins]
        best = min(trials, key=lambda trial: trial.wcss)
        previous = fits[count] = small_fit(columns, own, best.centres, _ITERATIONS)
    return fits


def small_fit(columns: Values, weights: Values, centres: Values, max_iterations: int = _ITERATIONS) -> SmallFit:
    """Iterations from the given centres, which stay as they are, over all points as one block."""
    own = centres.copy()
    codes = np.full(columns.shape[1], -1, dtype=np.int32)
    iterate_block(columns, weights, own, codes, max_iterations)
    return SmallFit(codes, own, wcss_of(columns, weights, own, codes))


def distinct_up_to(columns: Values, most: int) -> int:
    """How many distinct points (d, n) there are, counted up to `most`. O(n d most)."""
    return int(scatter_seeds(columns, np.ones(columns.shape[1]), np.full((most, 1), 0.5), np.zeros(most, np.intp)))


def split_centres(columns: Values, weights: Values, codes: Codes, centres: Values) -> list[Values]:
    """Centres (k + 1, d) with one of the two widest segments split in two along its widest feature, one each."""
    count = len(centres)
    sums = sums_of(columns, weights, codes, count)
    squares = (
        np.stack([np.bincount(codes, weights=weights * column**2, minlength=count) for column in columns], axis=1)
        - sums.total**2 / np.maximum(sums.weight, 1e-300)[:, None]
    )
    found = []
    for segment in np.argsort(-squares.sum(axis=1), kind="stable")[:_SPLIT]:
        feature = int(squares[segment].argmax())
        step = np.zeros(len(columns))
        step[feature] = np.sqrt(max(squares[segment, feature], 0.0) / sums.weight[segment])
        others = np.delete(centres, segment, axis=0)
        found.append(np.ascontiguousarray(np.vstack([others, centres[segment] - step, centres[segment] + step])))
    return found


def _scattered(columns: Values, weights: Values, count: int, rng: np.random.Generator) -> Values:
    chosen = np.zeros(count, dtype=np.intp)
    scatter_seeds(columns, weights, rng.random((count, 2 + int(np.log(count)))), chosen)
    return np.ascontiguousarray(columns[:, chosen].T)
