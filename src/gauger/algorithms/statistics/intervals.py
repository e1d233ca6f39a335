"""Intervals of shares, of their differences, and of differences of mean values."""

import math

import numpy as np
from numpy.typing import NDArray
from scipy.special import betaincinv, ndtri

Values = NDArray[np.float64]

LEVEL = 0.05
"""What intervals leave out, over all segments of a campaign together."""
LEAST_BUYERS = 20
"""Values other than 0 in the smaller arm from which an interval of mean values holds what it promises; simulated in
`benchmarks/uplift.py`."""

_DRAWS, _MOST_DRAWN = 10_000, 500
"""Resamples for up to so many buyers, enough for the far ends that many segments ask for; fewer for more."""
_NORMAL_FROM = 5_000
"""From so many buyers means are normal: nothing is drawn."""


def wilson(yes: int, n: int, level: float = LEVEL) -> tuple[float, float]:
    """The score interval of a share: Wilson (1927), Journal of the American Statistical Association 22, 209-212."""
    from scipy.stats import binomtest  # a third of a second that only a campaign's shares cost

    found = binomtest(yes, n).proportion_ci(1.0 - level, method="wilson")
    return float(found.low), float(found.high)


def clopper_pearson(yes: int, n: int) -> tuple[float, float]:
    """The exact 95 % interval of a share: Clopper & Pearson (1934), Biometrika 26(4), 404-413.

    As quantiles of the beta distribution; the same from `binomtest` takes twenty times as long, and there are hundreds.
    """
    low = betaincinv(yes, n - yes + 1, LEVEL / 2.0) if yes else 0.0
    high = betaincinv(yes + 1, n - yes, 1.0 - LEVEL / 2.0) if yes < n else 1.0
    return float(low), float(high)


def newcombe(yes: int, n: int, other_yes: int, m: int, level: float = LEVEL) -> tuple[float, float]:
    """The interval of the difference yes/n - other_yes/m: Newcombe (1998), method 10; NaN where an arm is empty."""
    if not n or not m:
        return math.nan, math.nan
    return _of_difference(yes / n, wilson(yes, n, level), other_yes / m, wilson(other_yes, m, level))


def difference_of_means(own: Values, other: Values, level: float, rng: np.random.Generator) -> tuple[float, float]:
    """The interval of the difference of the mean values of two arms (n,) and (m,), most values being 0.

    Values of buyers have long tails, so each mean has its interval on the scale of logarithms, by the bootstrap t: the
    number of buyers is drawn, and their values from those of both arms over the mean of each, because the smaller arm
    alone knows too little of the tail. The two intervals are put together as Newcombe does with shares (Zou & Donner
    2008, Statistics in Medicine 27, 1693-1702). NaN below 20 buyers in either arm, or where values are negative.

    Efron & Tibshirani (1993), An Introduction to the Bootstrap, 12.5.
    """
    bought, others = own[own != 0.0], other[other != 0.0]
    if min(len(bought), len(others)) < LEAST_BUYERS or min(bought.min(), others.min()) < 0.0:
        return math.nan, math.nan
    shapes = np.concatenate([bought / bought.mean(), others / others.mean()])
    spread = (len(bought) * _variation(bought) + len(others) * _variation(others)) / len(shapes)
    arms = [(float(arm.mean()), len(arm), int(np.count_nonzero(arm))) for arm in (own, other)]
    first, second = (_of_mean(mean, n, buyers, shapes, spread, level, rng) for mean, n, buyers in arms)
    return _of_difference(arms[0][0], first, arms[1][0], second)


def _of_difference(
    one: float, ends: tuple[float, float], other: float, other_ends: tuple[float, float]
) -> tuple[float, float]:
    gap = one - other
    return gap - math.hypot(one - ends[0], other_ends[1] - other), gap + math.hypot(
        ends[1] - one, other - other_ends[0]
    )


def _variation(values: Values) -> float:
    """The squared coefficient of variation."""
    return float(values.var(ddof=1) / values.mean() ** 2)


def _of_mean(
    mean: float, n: int, buyers: int, shapes: Values, spread: float, level: float, rng: np.random.Generator
) -> tuple[float, float]:
    """The interval of the mean of n values, of which `buyers` are not 0, from the `shapes` of these."""
    error = math.sqrt(max((1.0 + spread) / buyers - 1.0 / n, 0.0))
    low, high = ndtri(level / 2.0), ndtri(1.0 - level / 2.0)
    if buyers < _NORMAL_FROM:
        drawn = _studentised(n, buyers, shapes, rng)
        low, high = np.quantile(drawn, (level / 2.0, 1.0 - level / 2.0))
    return float(mean * math.exp(-high * error)), float(mean * math.exp(-low * error))


def _studentised(n: int, buyers: int, shapes: Values, rng: np.random.Generator) -> Values:
    """Logarithms of drawn means over the true one, each in units of its own error."""
    draws = _DRAWS if buyers <= _MOST_DRAWN else _DRAWS * _MOST_DRAWN // buyers
    counts = np.maximum(rng.binomial(n, buyers / n, draws), 2)
    values = shapes[rng.integers(0, len(shapes), int(counts.sum()))]
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
    means = np.add.reduceat(values, starts) / n
    variances = np.add.reduceat(values * values, starts) / n - means**2
    errors = np.sqrt(np.maximum(variances, 0.0) / n) / means
    kept = errors > 0.0
    if not kept.any():
        return np.zeros(1)
    return np.asarray(np.log(means[kept] * n / buyers) / errors[kept])
