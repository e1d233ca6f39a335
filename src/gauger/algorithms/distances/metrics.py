"""Metrics between rows: what each takes, what it refuses, and its formula."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import LinAlgError, cholesky, solve_triangular
from scipy.spatial.distance import cdist

from gauger.algorithms.distances.dtw import dtw_between
from gauger.algorithms.distances.lagged import lagged_between
from gauger.algorithms.reports import refusal

Matrix = NDArray[np.float64]
Rows = NDArray[np.intp]
Between = Callable[[Rows, Rows], Matrix]
Prepared = tuple[Between, Matrix | None]

_SHOWN = 3
"""Rows that a message names."""

_FLAT = 1e-12
"""Relative: a length or distance below this is rounding."""


@dataclass(frozen=True, eq=False)
class Geometry:
    """Rows with a distance between any two: `between(rows, others)` is (len(rows), len(others)).

    `name` is the metric's, `words` what an axis says of it. `points` (n, d) are the rows as points whose Euclidean
    distances say much the same, where the metric has such.
    """

    name: str
    words: str
    size: int
    between: Between
    points: Matrix | None = None

    def renumbered(self, index: Rows) -> "Geometry":
        """The same rows, of which the i-th is now called place[i]."""
        back = np.empty_like(index)
        back[index] = np.arange(len(index))
        points = None if self.points is None else self.points[back]
        return replace(self, between=lambda rows, others: self.between(back[rows], back[others]), points=points)


@dataclass(frozen=True)
class MetricSettings:
    """What some metrics need to be told: Minkowski's exponent `p`; for series, the `band` and the largest `lag`."""

    p: float = 3.0
    band: int | None = None
    lag: int | None = None


def geometry(name: str, values: Matrix, settings: MetricSettings, labels: Sequence[object]) -> Geometry:
    """The rows of values (n, d) under a metric of METRICS; `labels` (n,) name them in messages.

    Refuses for an unknown name, a setting out of range, or rows that the metric says nothing of.
    """
    if name not in METRICS:
        raise refusal(f"metric={name!r} must be one of {', '.join(METRICS)}.")
    words, prepare = METRICS[name]
    between, points = prepare(np.ascontiguousarray(values), settings, labels)
    return Geometry(name, words, len(values), between, points)


def _plain(scipy_name: str) -> Callable[[Matrix, MetricSettings, Sequence[object]], Prepared]:
    def prepare(values: Matrix, _settings: MetricSettings, _labels: Sequence[object]) -> Prepared:
        return lambda rows, others: cdist(values[rows], values[others], scipy_name), values

    return prepare


def _minkowski(values: Matrix, settings: MetricSettings, _labels: Sequence[object]) -> Prepared:
    p = settings.p
    if isinstance(p, bool) or not isinstance(p, (int, float, np.integer, np.floating)) or not 1.0 <= p < np.inf:
        raise refusal(f"p={p!r} must be a number from 1 up: below 1 the triangle inequality fails.")
    return lambda rows, others: cdist(values[rows], values[others], "minkowski", p=p), values


def _cosine(values: Matrix, _settings: MetricSettings, labels: Sequence[object]) -> Prepared:
    directions = _directions(values, values, labels, "cosine", "all zero")
    return lambda rows, others: _one_less(directions[rows] @ directions[others].T), directions


def _correlation(values: Matrix, _settings: MetricSettings, labels: Sequence[object]) -> Prepared:
    centred = values - values.mean(axis=1, keepdims=True)
    directions = _directions(centred, values, labels, "correlation", "constant")
    return lambda rows, others: _one_less(directions[rows] @ directions[others].T), directions


def _directions(values: Matrix, raw: Matrix, labels: Sequence[object], name: str, fault: str) -> Matrix:
    """Rows brought to length 1, those without a length refused."""
    lengths = np.sqrt((values**2).sum(axis=1))
    flat = np.flatnonzero(lengths <= _FLAT * np.abs(raw).max(axis=1, initial=0.0) * np.sqrt(raw.shape[1]))
    if flat.size:
        *firsts, last = [str(labels[row]) for row in flat[:_SHOWN].tolist()]
        if flat.size > _SHOWN:
            firsts, last = [*firsts, last], f"{flat.size - _SHOWN:,} more"
        names = f"{', '.join(firsts)} and {last}" if firsts else last
        one, them = flat.size == 1, "it" if flat.size == 1 else "them"
        raise refusal(
            f"{names} {'is' if one else 'are'} {fault} over all features on the working scale, so that "
            f"metric={name!r} says nothing of {them}. Leave {them} out, or take metric='euclidean'."
        )
    return np.asarray(values / lengths[:, None])


def _mahalanobis(values: Matrix, _settings: MetricSettings, _labels: Sequence[object]) -> Prepared:
    n, d = values.shape
    try:
        if n <= d:
            raise LinAlgError
        spread = np.atleast_2d(np.cov(values, rowvar=False))
        lower = cholesky(spread, lower=True)
        if np.diag(lower).min() <= 1e-7 * np.sqrt(np.diag(spread)).max():
            raise LinAlgError
    except LinAlgError:
        raise refusal(
            f"metric='mahalanobis' needs features that do not determine each other and more rows than features; "
            f"{n:,} rows by {d} features do not allow it. Leave out features that repeat others (build_tree of "
            "features shows which), or take metric='euclidean'."
        ) from None
    whitened = np.ascontiguousarray(solve_triangular(lower, values.T, lower=True).T)
    return lambda rows, others: cdist(whitened[rows], whitened[others]), whitened


def _dtw(values: Matrix, settings: MetricSettings, _labels: Sequence[object]) -> Prepared:
    band = _periods("band", settings.band, values)
    return lambda rows, others: dtw_between(values[rows], values[others], band), None


def _dtw_zscored(values: Matrix, settings: MetricSettings, labels: Sequence[object]) -> Prepared:
    centred = values - values.mean(axis=1, keepdims=True)
    shapes = _directions(centred, values, labels, "dtw_zscored", "constant") * np.sqrt(values.shape[1])
    band = _periods("band", settings.band, values)
    return lambda rows, others: dtw_between(shapes[rows], shapes[others], band), None


def _lagged(values: Matrix, settings: MetricSettings, labels: Sequence[object]) -> Prepared:
    _correlation(values, settings, labels)
    lag = _periods("lag", settings.lag, values)
    return lambda rows, others: lagged_between(values[rows], values[others], lag), None


def _periods(name: str, given: int | None, values: Matrix) -> int:
    """A band or lag in periods: a tenth of the series by default."""
    periods = values.shape[1]
    if given is None:
        return max(1, periods // 10) if periods > 1 else 0
    if isinstance(given, bool) or not isinstance(given, (int, np.integer)) or not 0 <= given < periods:
        raise refusal(f"{name}={given!r} must be a whole number of periods from 0 to {periods - 1}.")
    return int(given)


def _one_less(r: Matrix) -> Matrix:
    """1 - r, with 0 for what only rounding keeps from it."""
    apart = 1.0 - np.clip(r, -1.0, 1.0)
    return np.where(apart > _FLAT, apart, 0.0)


METRICS: Mapping[str, tuple[str, Callable[[Matrix, MetricSettings, Sequence[object]], Prepared]]] = {
    "euclidean": ("Euclidean distance", _plain("euclidean")),
    "squared_euclidean": ("squared Euclidean distance", _plain("sqeuclidean")),
    "city_block": ("city-block distance", _plain("cityblock")),
    "chebyshev": ("Chebyshev distance", _plain("chebyshev")),
    "minkowski": ("Minkowski distance", _minkowski),
    "canberra": ("Canberra distance", _plain("canberra")),
    "cosine": ("1 - cosine", _cosine),
    "correlation": ("1 - r", _correlation),
    "mahalanobis": ("Mahalanobis distance", _mahalanobis),
    "dtw": ("dynamic time warping", _dtw),
    "dtw_zscored": ("dynamic time warping of z-scored series", _dtw_zscored),
    "lagged_correlation": ("1 - the highest lagged r", _lagged),
}
"""By name, what an axis says of a metric, and how its distances come about.

For rows x and y: euclidean sqrt(sum (x - y)²), squared_euclidean without the root, city_block sum |x - y|, chebyshev
max |x - y|, minkowski (sum |x - y|^p)^(1/p), canberra sum |x - y| / (|x| + |y|) with 0 where both are 0, cosine
1 - x y / (|x| |y|), correlation the same of x and y less their own means, mahalanobis sqrt((x - y) S⁻¹ (x - y)) with S
the covariance of all rows. dtw_zscored is dtw on rows of mean 0 and standard deviation 1.
"""

SERIES_METRICS = ("dtw", "dtw_zscored", "lagged_correlation")
"""Metrics that read a row as a series, its features being periods in order."""
