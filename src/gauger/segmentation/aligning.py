"""Segments numbered like those of an earlier segmentation of the same customers."""

from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms.statistics import best_match, contingency_table
from gauger.errors import SettingError

Coded = tuple[NDArray[Any], NDArray[np.int32], int]
"""The keys (n,) of customers, their segments (n,), 0 if unassigned, and how many segments there are."""


def numbers_like(new: Coded, old: Coded) -> tuple[dict[int, int], NDArray[np.int32]]:
    """Which new segment matches which old one, one to one so that the most customers are in both, and the number
    (k + 1,) of each new segment: that of its match where there are as many, the others from those that are left.

    0 stays 0. Raises SettingError when no customer is in a segment of both.
    """
    keys, codes, count = new
    old_keys, old_codes, old_count = old
    indices = pd.Index(old_keys).get_indexer(pd.Index(keys))
    there = (indices >= 0) & (codes > 0)
    there[there] = old_codes[indices[there]] > 0
    if not there.any():
        raise SettingError("no customer is in a segment of both: there is nothing to align by.")
    both = codes[there] - 1, old_codes[indices[there]] - 1
    found = best_match(contingency_table(*both, (count, old_count)))
    matched = {one + 1: other + 1 for one, other in found.items()}
    taken = {one: other for one, other in matched.items() if other <= count}
    free = iter(sorted(set(range(1, count + 1)) - set(taken.values())))
    number = [0, *(taken[one] if one in taken else next(free) for one in range(1, count + 1))]
    return matched, np.array(number, dtype=np.int32)
