"""Cuts of many small trees, for the studies that resample: the counterpart of k-means' quick fits."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.distances import Settings, geometry
from gauger.algorithms.kmeans import QuickFit, spread_of, sums_of
from gauger.algorithms.merge_trees.branches import branches_after
from gauger.algorithms.merge_trees.linkages import Ground, join_all

Values = NDArray[np.float64]


class TreeFitter:
    """Cuts a tree of one linkage, Euclidean, at every count."""

    def __init__(self, linkage: str) -> None:
        self._linkage = linkage

    def __call__(
        self, columns: Values, counts: Iterable[int], _rng: np.random.Generator, weights: Values | None = None
    ) -> dict[int, QuickFit]:
        """Codes, centres and sums of squares of each count, for customers as columns (d, n)."""
        n = columns.shape[1]
        own = np.ones(n) if weights is None else weights
        joins = join_all(Ground(geometry("euclidean", columns.T, Settings(), range(n)), own, columns), self._linkage)
        fits = {}
        for count in counts:
            branch = branches_after(joins, np.arange(n - 1) < n - count)
            codes = np.unique(branch, return_inverse=True)[1].astype(np.int32)
            centres = sums_of(columns, own, codes, count).means()
            fits[count] = QuickFit(codes, centres, spread_of(columns, own, centres, codes))
        return fits
