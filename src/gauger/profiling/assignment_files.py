"""Assignments that were written to a file earlier, checked, and as a segmentation again."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.clustering import kmeans_refit
from gauger.columns import AnyTable, checked_table, refuse_bad_key, refuse_reserved_key
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.profiling.closeness import share_placed
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME, Segmentation, segmentation_from_codes
from gauger.wording import plural


def checked_assignments(assignments: AnyTable, key: str) -> tuple[pd.Index, NDArray[np.int64], Mapping[int, str]]:
    """The customers, the segment of each (0 for unassigned), and the name of each segment.

    `assignments` has a row a customer with the key, `segment` and, if it likes, `segment_name`. Raises
    UnknownColumnError, KeyColumnError, and SettingError for a segment that is no whole number from 0 up.
    """
    refuse_reserved_key(key)
    assignments = checked_table(assignments, [key, "segment"])
    refuse_bad_key(assignments[key])
    codes = pd.to_numeric(assignments["segment"], errors="coerce")
    if not (codes.notna() & (codes >= 0) & (codes % 1 == 0)).all():
        raise SettingError("the column 'segment' of the assignments must hold whole numbers: 1 and up, 0 for none.")
    names = {int(code): f"segment {int(code)}" for code in codes.unique()}
    if "segment_name" in assignments.columns:
        pairs = assignments[["segment", "segment_name"]].dropna().drop_duplicates("segment")
        names |= {int(code): str(name) for code, name in pairs.itertuples(index=False)}
    return pd.Index(assignments[key]), codes.to_numpy(dtype=np.int64), {**names, UNASSIGNED: UNASSIGNED_NAME}


def segmentation_from_assignments(features: FeatureSet, assignments: AnyTable, *, method: str) -> Segmentation:
    """Read assignments back into a Segmentation, on features of the same customers, matched by key.

    Parameters
    ----------
    features : FeatureSet
        The features that segments were made of, or others of the same customers.
    assignments : pandas.DataFrame or another table
        A row a customer with the key, `segment` (0 for unassigned) and perhaps `segment_name`.
    method : str
        How the segmentation is said to have been made.

    Returns
    -------
    Segmentation
        Centres are the means of the segments' customers. Where nearly everyone is nearest the own centre, as k-means
        leaves them, it is taken that k-means made the segments and would again.

    Raises
    ------
    UnknownColumnError, KeyColumnError
        For assignments without the columns, or with a customer twice.
    SettingError
        For customers that have features and no row, and for numbers of segments with a gap.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> features = gauger.prepare(pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 9, 11]}), key="who")
    >>> given = pd.DataFrame({"who": list("dcba"), "segment": [2, 2, 1, 1]})
    >>> gauger.segmentation_from_assignments(features, given, method="a file").codes.tolist()
    [1, 1, 2, 2]
    """
    keys, codes, names = checked_assignments(assignments, features.key)
    indices = keys.get_indexer(pd.Index(features.keys))
    lacking = features.keys[indices < 0]
    if len(lacking):
        raise SettingError(
            f"{len(lacking):,} {plural(len(lacking), 'customer')} "
            f"{plural(len(lacking), 'has', 'have')} features and {plural(len(lacking), 'is', 'are')} not in {method}: "
            "are these the assignments of the same table?"
        )
    seg = segmentation_from_codes(features, codes[indices], method=method)
    if seg.count and share_placed(seg) == 1.0:
        seg = replace(seg, refit=kmeans_refit(seg.count))
    given = {number: name for number, name in names.items() if number in seg.numbers and name != seg.names[number]}
    return seg.rename(given) if given else seg
