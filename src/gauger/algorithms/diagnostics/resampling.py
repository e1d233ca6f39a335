"""Do segments come back on other samples? Prediction strength and stability over resamples."""

from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans import TWO_STARTS, Fitter, SmallFit, assign, distinct_up_to
from gauger.algorithms.parallel import map_jobs
from gauger.algorithms.statistics import contingency_table, jaccard_overlaps

Values = NDArray[np.float64]
Codes = NDArray[np.int32]


def prediction_strength(
    columns: Values,
    counts: Iterable[int],
    *,
    splits: int,
    seed: Sequence[int],
    fitter: Fitter = TWO_STARTS,
    advance: Callable[[int], None] = lambda _: None,
) -> dict[int, float]:
    """How surely one half of the points foretells who belongs together in the other; 0 to 1, higher is better.

    Both halves are segmented; for each segment of one half, the share of its pairs that the centres of the other half
    put together too. The worst segment counts, averaged over `splits` random halves, each half foretelling the other.
    `columns` are (d, n). Counts that a half has not enough distinct points for are left out. 0.8 and more speaks
    for a count; 1 segment has 1.

    Tibshirani & Walther (2005), Journal of Computational and Graphical Statistics 14(3), 511-528.
    """
    asked = [*counts]

    def of_split(stream: np.random.SeedSequence) -> dict[int, float]:
        rng = np.random.default_rng(stream)
        mixed = rng.permutation(columns.shape[1])
        halves = [np.ascontiguousarray(columns[:, np.sort(half)]) for half in np.array_split(mixed, 2)]
        possible = _possible(asked, halves)
        fits = [fitter(half, possible, rng) for half in halves]
        return {
            count: 0.5 * sum(_kept_together(halves[i], fits[i][count], fits[1 - i][count].centres) for i in (0, 1))
            for count in possible
        }

    return _averaged(of_split, splits, seed, advance)


def stability(
    columns: Values,
    fits: Mapping[int, SmallFit],
    *,
    resamples: int,
    seed: Sequence[int],
    fitter: Fitter = TWO_STARTS,
    advance: Callable[[int], None] = lambda _: None,
) -> dict[int, float]:
    """How well each count's least stable segment comes back on bootstrap samples; 0 to 1, higher is better.

    Of `resamples` bootstrap samples, each is segmented; a segment's Jaccard similarity with the most similar new one is
    averaged over samples. Below 0.6 a segment dissolves, above 0.85 it is stable. `fits` are the segments of `columns`
    (d, n) by count.

    Hennig (2007), Computational Statistics & Data Analysis 52(1), 258-271.
    """

    def of_resample(stream: np.random.SeedSequence) -> dict[int, Values]:
        rng = np.random.default_rng(stream)
        n = columns.shape[1]
        times = np.bincount(rng.integers(n, size=n), minlength=n)
        drawn = np.flatnonzero(times)
        part = np.ascontiguousarray(columns[:, drawn])
        weights = times[drawn].astype(np.float64)
        found = fitter(part, _possible(fits, [part]), rng, weights)
        return {count: _jaccards(fits[count], drawn, own.codes) for count, own in found.items()}

    by_segment: dict[int, list[Values]] = {}
    for one in map_jobs(of_resample, np.random.SeedSequence(seed).spawn(resamples)):
        for count, similar in one.items():
            by_segment.setdefault(count, []).append(similar)
        advance(1)
    return {count: float(np.mean(rows, axis=0).min()) for count, rows in by_segment.items()}


def _averaged(
    work: Callable[[np.random.SeedSequence], dict[int, float]],
    times: int,
    seed: Sequence[int],
    advance: Callable[[int], None],
) -> dict[int, float]:
    found: dict[int, list[float]] = {}
    for one in map_jobs(work, np.random.SeedSequence(seed).spawn(times)):
        for count, value in one.items():
            found.setdefault(count, []).append(value)
        advance(1)
    return {count: float(np.mean(values)) for count, values in found.items()}


def _possible(counts: Iterable[int], tables: Sequence[Values]) -> list[int]:
    """The counts for which each of the tables (d, n) has enough distinct points."""
    asked = sorted(counts)
    most = min(distinct_up_to(table, asked[-1]) for table in tables)
    return [count for count in asked if count <= most]


def _kept_together(columns: Values, own: SmallFit, centres: Values) -> float:
    """For the worst segment, the share of its pairs of points that other centres put together as well."""
    count = len(centres)
    foretold = np.full(columns.shape[1], -1, dtype=np.int32)
    assign(columns, np.ones(columns.shape[1]), centres, foretold)
    both = contingency_table(own.codes, foretold, (count, count))
    sizes = both.sum(axis=1)
    pairs = (both * (both - 1)).sum(axis=1)
    several = sizes > 1
    return float((pairs[several] / (sizes[several] * (sizes[several] - 1))).min(initial=1.0))


def _jaccards(fit: SmallFit, drawn: NDArray[np.intp], codes: Codes) -> Values:
    """Each segment's overlap with the most similar of those of the drawn rows, which have `codes`."""
    count = len(fit.centres)
    table = contingency_table(fit.codes[drawn], codes, (count, count))
    return np.asarray(jaccard_overlaps(table).max(axis=1))
