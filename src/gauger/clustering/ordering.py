"""A FeatureSet's customers in an order that their values make, so that the order of rows changes nothing."""

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms import RowOrder, order_rows
from gauger.features import FeatureSet


def order_customers(features: FeatureSet, weights: NDArray[np.float64] | None = None) -> RowOrder:
    """The customers of a FeatureSet, its features by name; the same order whatever that of its rows and features."""
    column_order = np.argsort(np.array(features.names, dtype=object), kind="stable")
    values = features.values.T[column_order] + 0.0  # there is one zero only
    return order_rows(values, column_order, weights)
