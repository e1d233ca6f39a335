"""The gap statistic: how much tighter segments are than those of evenly filled space (Tibshirani et al. 2001)."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans import TWO_STARTS, Fitter
from gauger.algorithms.parallel import map_jobs

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Gap:
    """The gap by count, higher is better, and its standard error."""

    gap: Mapping[int, float]
    error: Mapping[int, float]

    def first_within_error(self) -> int | None:
        """The smallest count whose gap is at least the next one's less its error: the rule of the paper."""
        counts = sorted(self.gap)
        for count, after in pairwise(counts):
            if after == count + 1 and self.gap[count] >= self.gap[after] - self.error[after]:
                return count
        return None


def gap_statistic(
    values: Values,
    wcss: Mapping[int, float],
    *,
    references: int,
    seed: Sequence[int],
    fitter: Fitter = TWO_STARTS,
    advance: Callable[[int], None] = lambda _: None,
) -> Gap:
    """The gap for each count of `wcss`, the sums of squares of `values` (n, d).

    Logarithms of the sum of squares are compared with those of `references` tables that fill the box along the
    principal axes evenly. The standard error includes that of the reference: sd * sqrt(1 + 1 / references). A count
    at which the sum of squares is 0 has no gap (NaN).

    Tibshirani, Walther & Hastie (2001), Journal of the Royal Statistical Society B 63(2), 411-423.
    """
    centred = values - values.mean(axis=0)
    _, _, axes = np.linalg.svd(centred, full_matrices=False)
    turned = centred @ axes.T
    low, high = turned.min(axis=0), turned.max(axis=0)

    def log_wcss(stream: np.random.SeedSequence) -> list[float]:
        rng = np.random.default_rng(stream)
        columns = np.ascontiguousarray(rng.uniform(low, high, size=turned.shape).T)
        fits = fitter(columns, wcss, rng)
        return [_log(fits[count].wcss) for count in wcss]

    rows = []
    for row in map_jobs(log_wcss, np.random.SeedSequence(seed).spawn(references)):
        rows.append(row)
        advance(1)
    logs = np.array(rows)
    own = np.array([_log(value) for value in wcss.values()])
    gaps, errors = logs.mean(axis=0) - own, logs.std(axis=0) * np.sqrt(1.0 + 1.0 / references)
    return Gap(
        dict(zip(wcss, gaps.tolist(), strict=True)),
        dict(zip(wcss, np.where(np.isnan(gaps), np.nan, errors).tolist(), strict=True)),
    )


def _log(wcss: float) -> float:
    """The logarithm of a sum of squares; NaN where it is 0, as when everyone stands in a centre."""
    return float(np.log(wcss)) if wcss > 0.0 else np.nan
