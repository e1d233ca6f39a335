"""Cuts of many small trees, for the studies that resample: the counterpart of k-means' quick fits."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.distances import MetricSettings, geometry
from gauger.algorithms.kmeans import SmallFit, sums_of, wcss_of
from gauger.algorithms.merge_trees.branches import branches_after
from gauger.algorithms.merge_trees.linkages import TreeInput, merge_all

Values = NDArray[np.float64]


class TreeFitter:
    """Cuts a tree of one linkage, Euclidean, at every count."""

    def __init__(self, linkage: str) -> None:
        self._linkage = linkage

    def __call__(
        self, columns: Values, counts: Iterable[int], _rng: np.random.Generator, weights: Values | None = None
    ) -> dict[int, SmallFit]:
        """Codes, centres and sums of squares of each count, for points as columns (d, n)."""
        n = columns.shape[1]
        own = np.ones(n) if weights is None else weights
        merges = merge_all(
            TreeInput(geometry("euclidean", columns.T, MetricSettings(), range(n)), own, columns), self._linkage
        )
        fits = {}
        for count in counts:
            branch = branches_after(merges, np.arange(n - 1) < n - count)
            codes = np.unique(branch, return_inverse=True)[1].astype(np.int32)
            centres = sums_of(columns, own, codes, count).means()
            fits[count] = SmallFit(codes, centres, wcss_of(columns, own, centres, codes))
        return fits
