"""From groups of customers, some of them in none, to a Segmentation in the order of its FeatureSet."""

from collections.abc import Mapping

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms import RowOrder
from gauger.algorithms.density import NOBODY
from gauger.features import FeatureSet
from gauger.segmentation import Segmentation, distances_to_own, number_by_size

Values = NDArray[np.float64]
Rows = NDArray[np.intp]


def key_ranks(features: FeatureSet, everyone: RowOrder) -> Rows:
    """Where each customer of a row order stands among the sorted keys, which breaks ties."""
    keys = features.keys
    try:
        order = np.argsort(keys, kind="stable")
    except TypeError:
        order = np.argsort(keys.astype(str), kind="stable")
    rank = np.empty(len(keys), dtype=np.intp)
    rank[order] = np.arange(len(keys))
    return rank[everyone.order]


def segmentation_of_groups(
    features: FeatureSet,
    everyone: RowOrder,
    group: Rows,
    method: str,
    *,
    details: Mapping[str, NDArray[np.generic]],
    nearest: Rows,
    gaps: Values,
) -> tuple[Segmentation, Rows]:
    """The segmentation of arranged customers by their group (n,), -1 for none; and which group each segment is, (k,).

    `details` are columns (n,) of its assignments. The unassigned also get the segment of the customer that is `nearest`
    (n,), and `gaps` (n,) as their distance from there; -1 where there is no such customer.
    """
    assigned = group != NOBODY
    many = int(group.max(initial=NOBODY)) + 1
    values = everyone.columns[:, assigned]
    sizes = np.bincount(group[assigned], minlength=many)
    sums = np.array([np.bincount(group[assigned], weights=column, minlength=many) for column in values])
    centres = everyone.outwards((sums / np.maximum(sizes, 1)).T)
    numbered, order = number_by_size(group[assigned], centres)
    arranged = np.zeros(len(group), dtype=np.int32)
    arranged[assigned] = numbered
    near = np.where(assigned | (nearest < 0), 0, arranged[nearest])
    back = np.argsort(everyone.order)
    table = pd.DataFrame({name: column[back] for name, column in details.items()})
    table["nearest_segment"] = pd.Series(near[back]).astype("Int64").mask(near[back] == 0)
    table["nearest_distance"] = np.where(near == 0, np.nan, gaps)[back]
    own, codes = centres[order], arranged[back]
    distances = distances_to_own(features, codes, own)
    codes.flags.writeable = False
    return Segmentation(features, codes, own, distances, method, details=table), order
