"""The distance between any two customers, under the metric that was asked for."""

import pandas as pd
from numpy.typing import ArrayLike

from gauger.clustering.arrangement import Arrangement, arrange
from gauger.clustering.mixed import mixed_rows
from gauger.distances import (
    METRICS,
    SERIES_METRICS,
    Geometry,
    Settings,
    geometry,
    given_geometry,
    gower_geometry,
)
from gauger.errors import SettingError
from gauger.features import FeatureSet

CUSTOMER_METRICS = (*METRICS, "gower")

Metric = str | ArrayLike | pd.DataFrame


def customer_distances(features: FeatureSet, everyone: Arrangement, metric: Metric, settings: Settings) -> Geometry:
    """The customers of an arrangement under a metric: a word, or a matrix as `given_geometry` takes it.

    Raises SettingError for an unknown word, and for what a metric does not allow.
    """
    if not isinstance(metric, str):
        return given_geometry(metric, features.keys.tolist()).renumbered(everyone.order.argsort())
    labels = features.keys[everyone.order].tolist()
    if metric == "gower":
        return gower_geometry(mixed_rows(features, everyone.order), labels)
    if metric not in METRICS:
        raise SettingError.not_one_of("metric", metric, CUSTOMER_METRICS)
    values = features.values[everyone.order] if metric in SERIES_METRICS else everyone.columns.T
    return geometry(metric, values, settings, labels)


def distances_of(features: FeatureSet, metric: Metric) -> Geometry:
    """The distances between customers, in their order."""
    everyone = arrange(features)
    return customer_distances(features, everyone, metric, Settings()).renumbered(everyone.order)
