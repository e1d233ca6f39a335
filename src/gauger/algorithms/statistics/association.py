"""How far two divisions go together: Cramér's V with an interval, and what one tells of the other."""

import numpy as np
from numpy.typing import NDArray

Counts = NDArray[np.int64]
Values = NDArray[np.float64]

_RESAMPLES = 500
"""Bootstrap samples of V: enough for 2.5 % on either side."""

_TAILS = (0.025, 0.975)
"""The quantiles of a 95 % interval."""


def cramers_v(tables: NDArray[np.integer]) -> Values:
    """Cramér's V of contingency tables (..., k, m): 0 when rows and columns have nothing to do with each other, 1 when
    a row tells the column; NaN with fewer than two rows or columns that anyone is in.

    Cramér (1946), Mathematical Methods of Statistics, 282.
    """
    counts = np.asarray(tables, dtype=np.float64)
    n = counts.sum(axis=(-2, -1), keepdims=True)
    rows, columns = counts.sum(axis=-1, keepdims=True), counts.sum(axis=-2, keepdims=True)
    with np.errstate(divide="ignore", invalid="ignore"):
        expected = rows * columns / n
        chi_square = np.where(expected > 0.0, (counts - expected) ** 2 / expected, 0.0).sum(axis=(-2, -1))
        used = np.minimum((rows > 0.0).sum(axis=(-2, -1)), (columns > 0.0).sum(axis=(-2, -1)))
        found = np.sqrt(chi_square / (n[..., 0, 0] * (used - 1)))
    return np.where(used > 1, found, np.nan)


def cramers_v_interval(table: Counts, rng: np.random.Generator) -> tuple[float, float, float]:
    """The 95 % interval of V by bootstrap, and the V that chance alone would show: the median of shuffled tables.

    V is never below 0, so that its interval says little near there: chance says what nothing looks like.
    """
    n = int(table.sum())
    shares = table.ravel() / n
    drawn = rng.multinomial(n, shares, size=_RESAMPLES).reshape(_RESAMPLES, *table.shape)
    apart = np.outer(table.sum(axis=1), table.sum(axis=0)).ravel() / n**2
    by_chance = rng.multinomial(n, apart, size=_RESAMPLES).reshape(_RESAMPLES, *table.shape)
    low, high = (float(end) for end in np.nanquantile(cramers_v(drawn), _TAILS))
    return low, high, float(np.nanmedian(cramers_v(by_chance)))


def guessed_right(table: Counts) -> tuple[float, float]:
    """The share of rows whose column is guessed right from the row's group, and without knowing it: the most frequent.

    Goodman & Kruskal (1954), J. American Statist. Assoc. 49, 732-764.
    """
    n = table.sum()
    return float(table.max(axis=1).sum() / n), float(table.sum(axis=0).max() / n)
