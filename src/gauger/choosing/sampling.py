"""Fewer customers, where a study looks at each two of them."""

import numpy as np

from gauger.clustering import order_customers
from gauger.features import FeatureSet
from gauger.remarks import Remark


def sampled_features(
    features: FeatureSet, most: int, what: str, rng: np.random.Generator
) -> tuple[FeatureSet, tuple[Remark, ...]]:
    """The features of at most that many customers, drawn whatever the order of rows; a remark on `what` if fewer."""
    customers = len(features.keys)
    if customers <= most:
        return features, ()
    everyone = order_customers(features)
    rows = np.sort(everyone.order[everyone.sample(most, rng)])
    text = f"the {what} are compared on one seeded sample of {most:,} of {customers:,} customers."
    return features.part(rows), (Remark(f"{what}-sampled", text),)
