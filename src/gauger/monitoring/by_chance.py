"""Whether customers then and now differ by more than two samples of the same customers would."""

import math

import numpy as np
from numpy.typing import NDArray
from scipy.special import bdtrc, chdtrc, ndtr

Values = NDArray[np.float64]

FALSE_ALARMS = 0.05
"""The chance that anything is read into customers who have not changed, over all that is looked at together."""


def counts_differ(then: Values, now: Values, level: float) -> bool:
    """Whether two lists of counts (b,) differ, by Pearson's chi-squared of both samples."""
    filled = then + now > 0.0
    then, now = then[filled], now[filled]
    if len(then) < 2 or not then.sum() or not now.sum():
        return False
    ratio = math.sqrt(now.sum() / then.sum())
    statistic = float(((then * ratio - now / ratio) ** 2 / (then + now)).sum())
    return bool(chdtrc(len(then) - 1, statistic) < level)


def means_differ(gap: float, errors: tuple[float, float], level: float) -> bool:
    """Whether a difference of two means is beyond their standard errors."""
    error = math.hypot(*errors)
    return bool(2.0 * ndtr(-abs(gap) / error) < level) if error > 0.0 else gap != 0.0


def rate_rose(few: int, customers_then: int, many: int, customers_now: int, level: float) -> bool:
    """Whether a rate is higher now, from how many of the customers count then and now: binomial, one-sided."""
    if not many:
        return False
    return bool(bdtrc(many - 1, few + many, customers_now / (customers_now + customers_then)) < level)
