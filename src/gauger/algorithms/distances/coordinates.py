"""Points whose Euclidean distances come near to given ones."""

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]


def principal_coordinates(distances: Matrix, most: int, *, least_share: float = 0.0) -> Matrix:
    """Points (n, k), k <= most, for distances (n, n): classical scaling, the widest direction first.

    Directions with less than `least_share` of the widest one's variance are left out, and those that no points could
    have (the distances need not be Euclidean) always are; at least one is kept. Each direction's sign is such that the
    largest coordinate is positive.

    Gower (1966), Biometrika 53(3-4), 325-338.
    """
    squares = -0.5 * distances**2
    means = squares.mean(axis=0)
    variances, axes = np.linalg.eigh(squares - means - means[:, None] + means.mean())
    order = np.argsort(-variances, kind="stable")[:most]
    limit = max(least_share, 1e-12) * max(float(variances[order[0]]), 0.0)
    kept = order[: max(1, int(np.count_nonzero(variances[order] > limit)))]
    points = axes[:, kept] * np.sqrt(np.maximum(variances[kept], 0.0))
    signs = np.sign(points[np.abs(points).argmax(axis=0), np.arange(len(kept))])
    return np.asarray(points * np.where(signs == 0.0, 1.0, signs))
