"""Two ratios of what lies between segments to what lies within: Caliński-Harabasz and Davies-Bouldin."""

import math

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]


def calinski_harabasz(within: float, overall: float, count: int, n: float) -> float:
    """Between-segment over within-segment variance, each by its degrees of freedom; higher means better separated.

    `within` is the sum of squares about the centres, `overall` that about everyone's mean. Needs 2 <= count < n, else
    NaN, because the ratio is then undefined; infinite when every point stands in a centre.

    Caliński & Harabasz (1974), Communications in Statistics 3(1), 1-27.
    """
    if not 2 <= count < n:
        return math.nan
    return math.inf if within == 0.0 else (overall - within) / (count - 1) / (within / (n - count))


def davies_bouldin(codes: NDArray[np.integer], distances: Values, centres: Values) -> float:
    """Each segment's worst overlap with another, on average; lower means better separated, 0 is the least.

    The overlap of two is the sum of their mean distances to the centre over the distance of the centres. `codes` (n,)
    from 1, `distances` (n,) to the own centre, `centres` (k, d). NaN for fewer than two
    segments, infinite where two centres are the same.

    Davies & Bouldin (1979), IEEE Transactions on Pattern Analysis and Machine Intelligence 1(2), 224-227.
    """
    count = len(centres)
    if count < 2:
        return math.nan
    widths = (
        np.bincount(codes, weights=distances, minlength=count + 1)[1:] / np.bincount(codes, minlength=count + 1)[1:]
    )
    apart = np.sqrt(((centres[:, None] - centres) ** 2).sum(axis=2))
    np.fill_diagonal(apart, np.inf)
    overlap = np.divide(widths[:, None] + widths, apart, out=np.full_like(apart, np.inf), where=apart > 0.0)
    return float(overlap.max(axis=1).mean())
