"""What one cloud of the same shape would look like: the reference for whether points are clustered at all."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

from gauger.algorithms.diagnostics.ties import SmoothTable

_BINS_ROOT = 2.0
"""Bins by the Rice rule, 2 n^(1/3), twice as many, for peaks narrower than a normal one; judgement."""

_LEAST_BINS, _MOST_BINS = 12, 60
"""Fewer would hide a peak, more would follow noise: judgement."""

_CONSTANT, _PART_OF_SUM = 1e-8, 1e-4
"""The variance of a sum that is constant but for rounding, and the least weight of a column in it: judgement."""

Values = NDArray[np.float64]


class OneCloud:
    """Tables like a given one, but with one peak a measure and no more ties between columns than correlation.

    Each measure's nearest distribution with a single peak is found on its histogram, ties smoothed out; the columns are
    tied together by the correlations of their normal scores (a Gaussian copula). A category takes part with its levels
    in the order of their means along the first principal axis of the measures. Shares of a whole keep their sum.
    """

    def __init__(self, table: SmoothTable, rng: np.random.Generator) -> None:
        self._smoothers = table.smoothers
        columns = [smoother.draw(rng) for smoother in table.smoothers]
        self._margins = [single_peaked(column) for column in columns]
        self._whole = _Whole.of(np.column_stack(columns)) if len(columns) > 2 else None
        scores = [_normal_scores(np.argsort(column, kind="stable")) for column in columns]
        self._levels = []
        axis = _first_axis(np.column_stack(scores)) if scores else np.zeros(table.size)
        for levels in table.levels.T:
            sizes = np.bincount(levels)
            order = np.argsort(np.bincount(levels, weights=axis) / np.maximum(sizes, 1), kind="stable")
            place = np.empty(len(order), dtype=np.intp)
            place[order] = np.arange(len(order))
            scores.append(_normal_scores(np.lexsort((rng.random(table.size), place[levels]))))
            self._levels.append((order, np.cumsum(sizes[order]) / table.size))
        correlation = np.atleast_2d(np.corrcoef(np.column_stack(scores).T)) if len(scores) > 1 else np.ones((1, 1))
        sizes, axes = np.linalg.eigh(correlation)
        self._root = axes * np.sqrt(np.maximum(sizes, 0.0))
        self._n = table.size

    def draw(self, rng: np.random.Generator) -> tuple[Values, Values, NDArray[np.intp]]:
        """A made-up table: smooth measures (n, m) and the same with ties, as they were; levels of categories (n, c)."""
        shares = ndtr(rng.normal(size=(self._n, len(self._root))) @ self._root.T)
        m = len(self._margins)
        smooth, tied = np.empty((self._n, m)), np.empty((self._n, m))
        for index, (edges, until) in enumerate(self._margins):
            smooth[:, index] = np.interp(shares[:, index], until, edges)
        if self._whole is not None:
            self._whole.close(smooth)
        for index, smoother in enumerate(self._smoothers):
            tied[:, index] = smoother.snap(smooth[:, index], rng)
        levels = np.empty((self._n, len(self._levels)), dtype=np.intp)
        for index, (order, until) in enumerate(self._levels):
            levels[:, index] = order[np.searchsorted(until[:-1], shares[:, m + index], side="right")]
        return smooth, tied, levels


@dataclass(frozen=True, eq=False)
class _Whole:
    """Columns, by `places` (p,), that with positive `weights` (p,) sum to `total`; each is at least `low` (p,)."""

    places: NDArray[np.intp]
    weights: Values
    low: Values
    total: float

    @classmethod
    def of(cls, columns: Values) -> "_Whole | None":
        """Of columns (n, m), None where no sum is constant."""
        spread = columns.std(axis=0)
        sizes, axes = np.linalg.eigh(np.cov((columns / np.where(spread > 0.0, spread, 1.0)).T))
        axis = axes[:, 0] * np.sign(axes[np.abs(axes[:, 0]).argmax(), 0])
        places = np.flatnonzero((np.abs(axis) > _PART_OF_SUM) & (spread > 0.0))
        if sizes[0] > _CONSTANT or len(places) < 3 or (axis[places] <= 0.0).any():
            return None
        weights = axis[places] / spread[places]
        low = columns[:, places].min(axis=0)
        return cls(places, weights, low, float((columns[:, places] @ weights).mean() - low @ weights))

    def close(self, made: Values) -> None:
        """Change made-up columns (n, m) in place so that they keep the sum."""
        parts = np.maximum(made[:, self.places] - self.low, 0.0) * self.weights
        parts *= self.total / np.maximum(parts.sum(axis=1, keepdims=True), 1e-300)
        made[:, self.places] = self.low + parts / self.weights


def _normal_scores(order: NDArray[np.intp]) -> Values:
    """The normal scores (n,) of rows, from their order (n,)."""
    scores = np.empty(len(order))
    scores[order] = ndtri((np.arange(len(order)) + 0.5) / len(order))
    return scores


def _first_axis(scores: Values) -> Values:
    """Where rows (n,) are along the first principal axis of columns (n, m)."""
    return np.asarray(scores @ np.linalg.eigh(np.atleast_2d(np.cov(scores.T)))[1][:, -1])


def single_peaked(values: Values) -> tuple[Values, Values]:
    """The distribution with a single peak nearest to values (n,): edges (m,) and the share below each (m,).

    On a histogram, the heights are made to rise up to a peak and fall after it, by least squares; the peak is put where
    this costs least.
    """
    low, high = float(values.min()), float(values.max())
    if not high > low:
        return np.array([low, high]), np.array([0.0, 1.0])
    bins = int(np.clip(_BINS_ROOT * np.cbrt(len(values)) * 2.0, _LEAST_BINS, _MOST_BINS))
    heights, edges = np.histogram(values, bins=bins, range=(low, high))
    rising, cost_rising = _rising_fits(heights.astype(np.float64))
    falling, cost_falling = _rising_fits(heights[::-1].astype(np.float64))
    costs = [cost_rising[at] + cost_falling[bins - at] for at in range(bins + 1)]
    at = int(np.argmin(costs))
    fitted = np.concatenate([rising[at], falling[bins - at][::-1]])
    shares = np.concatenate([[0.0], np.cumsum(fitted)]) / fitted.sum()
    return edges, shares


def _rising_fits(heights: Values) -> tuple[list[Values], list[float]]:
    """For every beginning of heights, the nearest heights that never fall, and their squared distance."""
    fits, costs = [np.empty(0)], [0.0]
    means: list[float] = []
    sizes: list[int] = []
    for until, height in enumerate(heights, 1):
        means.append(float(height))
        sizes.append(1)
        while len(means) > 1 and means[-2] >= means[-1]:
            size = sizes[-2] + sizes[-1]
            means[-2] = (means[-2] * sizes[-2] + means[-1] * sizes[-1]) / size
            sizes[-2] = size
            means.pop()
            sizes.pop()
        fit = np.repeat(means, sizes)
        fits.append(fit)
        costs.append(float(((heights[:until] - fit) ** 2).sum()))
    return fits, costs
