"""What one cloud of the same shape would look like: the reference for whether points are clustered at all."""

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

_BINS_ROOT = 2.0
"""Bins by the Rice rule, 2 n^(1/3), twice as many, for peaks narrower than a normal one; judgement."""

_LEAST_BINS, _MOST_BINS = 12, 60
"""Fewer would hide a peak, more would follow noise: judgement."""

Values = NDArray[np.float64]


class OneCloud:
    """Tables like a given one, (n, d), but with one peak a feature and no more ties between features than correlation.

    Each feature's nearest distribution with a single peak is found on its histogram; the features are tied together by
    the correlations of their normal scores (a Gaussian copula).
    """

    def __init__(self, values: Values) -> None:
        n, d = values.shape
        scores = np.empty((n, d))
        for feature in range(d):
            ranks = np.empty(n)
            ranks[np.argsort(values[:, feature], kind="stable")] = np.arange(n)
            scores[:, feature] = ndtri((ranks + 0.5) / n)
        correlation = np.atleast_2d(np.corrcoef(scores.T)) if d > 1 else np.ones((1, 1))
        sizes, axes = np.linalg.eigh(correlation)
        self._root = axes * np.sqrt(np.maximum(sizes, 0.0))
        self._margins = [single_peaked(values[:, feature]) for feature in range(d)]
        self._n = n

    def draw(self, rng: np.random.Generator) -> Values:
        """A made-up table (n, d), each feature with mean 0 and standard deviation 1."""
        scores = rng.normal(size=(self._n, len(self._root))) @ self._root.T
        made = np.empty_like(scores)
        for feature, (edges, shares) in enumerate(self._margins):
            made[:, feature] = np.interp(ndtr(scores[:, feature]), shares, edges)
        spread = made.std(axis=0)
        return np.asarray((made - made.mean(axis=0)) / np.where(spread > 0.0, spread, 1.0))


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
