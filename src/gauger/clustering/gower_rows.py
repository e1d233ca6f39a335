"""A FeatureSet as measures, flags and categories, gaps and all, for Gower's distance."""

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.distances import MixedRows
from gauger.features import FeatureSet, Weight


def mixed_rows(features: FeatureSet, order: NDArray[np.intp]) -> MixedRows:
    """The customers in an order: measures on the working scale, with a gap where the table had one; categories whole.

    The indicators of a category are put together again and count once, each by the weight given to `prepare`.
    """
    raw = features.original
    levels: dict[str, list[str]] = {}
    for name, indicator in features.indicators.items():
        if indicator.level is not None:
            levels.setdefault(indicator.column, []).append(name)
    of_category = {name for names in levels.values() for name in names}
    measures = [name for name in features.names if name not in of_category]
    values = np.empty((len(features.keys), len(measures)))
    for index, name in enumerate(measures):
        column = features.values[:, features.names.index(name)]
        values[:, index] = np.where(raw[name].isna().to_numpy(), np.nan, column)
    codes = np.full((len(features.keys), len(levels)), -1, dtype=np.int64)
    for index, names in enumerate(levels.values()):
        for code, name in enumerate(names):
            codes[raw[name].to_numpy() == 1.0, index] = code
    weights = [_weight(features, name) for name in measures]
    own = [features.indicators[names[0]].weight for names in levels.values()]
    return MixedRows(values[order], codes[order], np.array(weights), np.array(own))


def _weight(features: FeatureSet, name: str) -> float:
    return next((step.factor for step in features.treatments[name] if isinstance(step, Weight)), 1.0)
