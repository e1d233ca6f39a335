"""Segmentations made from codes alone, and the order in which segments are numbered."""

import numpy as np
from numpy.typing import NDArray

from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.segmentation.segmentations import Codes, Distances, Segmentation


def segmentation_from_codes(
    features: FeatureSet,
    codes: NDArray[np.integer],
    *,
    method: str,
) -> Segmentation:
    """A Segmentation from each customer's segment (1 to k, 0 if unassigned); centres are means of customers.

    Raises SettingError when the codes do not fit the customers or leave a number between 1 and the largest unused.
    """
    own = np.array(codes, dtype=np.int32)
    if own.shape != features.keys.shape:
        raise SettingError(f"{own.size:,} codes for {len(features.keys):,} customers: give one each.")
    counts = np.bincount(np.maximum(own, 0))[1:]
    if own.min() < 0 or not counts.all():
        raise SettingError("segments must be numbered from 1 without a gap, 0 for unassigned.")
    sums = np.empty((len(features.names), len(counts)))
    for index, column in enumerate(features.values.T):
        sums[index] = np.bincount(own, weights=column)[1:]
    centres = np.ascontiguousarray((sums / counts).T)
    distances = distances_to_own(features, own, centres)
    own.flags.writeable = False
    return Segmentation(features, own, centres, distances, method)


def distances_to_own(features: FeatureSet, codes: NDArray[np.integer], centres: NDArray[np.float64]) -> Distances:
    """Each customer's distance (n,) to the centre of its segment, on the working scale; NaN for the unassigned."""
    distances = np.full(len(codes), np.nan)
    assigned = np.flatnonzero(codes)
    gaps = features.values[assigned] - centres[codes[assigned] - 1]
    distances[assigned] = np.sqrt(np.einsum("ij,ij->i", gaps, gaps))
    distances.flags.writeable = False
    return distances


def order_by_size(sizes: NDArray[np.number], centres: NDArray[np.float64]) -> NDArray[np.intp]:
    """The order (k,) of segments from the largest; equal sizes go by their centres' coordinates."""
    return np.lexsort((*reversed(centres.T), -sizes))


def number_by_size(codes: NDArray[np.integer], centres: NDArray[np.float64]) -> tuple[Codes, NDArray[np.intp]]:
    """Codes 0 … k-1 renumbered 1 … k from the largest segment, and the order (k,) that brings centres there.

    Equal sizes go by their centres' coordinates.
    """
    order = order_by_size(np.bincount(codes, minlength=len(centres)), centres)
    number: Codes = np.empty(len(centres), dtype=np.int32)
    number[order] = np.arange(1, len(centres) + 1, dtype=np.int32)
    return np.asarray(number[codes], dtype=np.int32), order
