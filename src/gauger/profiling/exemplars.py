"""Who stands for a segment, and who hardly belongs to it."""

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.profiling.closeness import own_distances
from gauger.segmentation import Segmentation

MOST_TYPICAL, LEAST_TYPICAL = "most typical", "least typical"

_EACH = 3
"""Customers shown at either end."""


def exemplars_of(seg: Segmentation) -> pd.DataFrame:
    """Of each segment the three most typical customers and the three least: segment, kind, key, distance, features.

    Typical is who is near the centre; in segments that do not lie around their centres, who has others near by (the
    distance is to the fifth nearest). Each customer comes once; ties go to the lowest key. Features are in original
    units.
    """
    apart = own_distances(seg)
    chosen, kinds = [], []
    for number in seg.numbers.tolist():
        members = np.flatnonzero(seg.codes == number)
        ends = _ends(apart[members])
        candidates = members[ends]
        keys = seg.features.keys[candidates].astype(str)
        ordered = candidates[np.lexsort((keys, apart[candidates]))]
        near = ordered[:_EACH]
        far = ordered[max(_EACH, len(ordered) - _EACH) :][::-1]
        chosen += [*near.tolist(), *far.tolist()]
        kinds += [MOST_TYPICAL] * len(near) + [LEAST_TYPICAL] * len(far)
    table = pd.DataFrame(
        {
            "segment": seg.codes[chosen],
            "kind": pd.Series(kinds, dtype=object),
            seg.features.key: seg.features.keys[chosen],
            "distance": apart[chosen],
        }
    )
    return pd.concat([table, seg.features.original.iloc[chosen].reset_index(drop=True)], axis=1)


def _ends(apart: NDArray[np.float64]) -> NDArray[np.intp]:
    """The places of the three smallest and the three largest values, and of all that are as small or large."""
    if len(apart) <= 2 * _EACH:
        return np.arange(len(apart))
    parted = np.partition(apart, (_EACH - 1, len(apart) - _EACH))
    return np.flatnonzero((apart <= parted[_EACH - 1]) | (apart >= parted[len(apart) - _EACH]))
