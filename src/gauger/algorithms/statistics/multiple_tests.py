"""Many tests together."""

import numpy as np
from numpy.typing import ArrayLike, NDArray

Values = NDArray[np.float64]


def holm(p: ArrayLike) -> Values:
    """p values (n,) adjusted for their number, so that all together err no more often than one; NaN stays NaN.

    The smallest times n, the next times n - 1, and so on, never falling and at most 1.

    Holm (1979), Scandinavian Journal of Statistics 6(2), 65-70.
    """
    values = np.array(p, dtype=np.float64)
    indices = np.flatnonzero(~np.isnan(values))
    order = indices[np.argsort(values[indices], kind="stable")]
    times = np.arange(len(order), 0, -1)
    values[order] = np.minimum(np.maximum.accumulate(values[order] * times), 1.0)
    return values
