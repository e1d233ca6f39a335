"""The distance between any two customers, under the metric that was asked for."""

from collections.abc import Sequence

import pandas as pd
from numpy.typing import ArrayLike

from gauger.algorithms import RowOrder
from gauger.algorithms.distances import (
    METRICS,
    SERIES_METRICS,
    Geometry,
    MetricSettings,
    geometry,
    given_geometry,
    gower_geometry,
)
from gauger.algorithms.neighbours import Neighbours, PairNeighbours, PointNeighbours, compile_neighbours
from gauger.clustering.gower_rows import mixed_rows
from gauger.clustering.ordering import order_customers
from gauger.errors import SettingError
from gauger.features import FeatureSet

CUSTOMER_METRICS = (*METRICS, "gower")

Metric = str | ArrayLike | pd.DataFrame


def customer_distances(features: FeatureSet, everyone: RowOrder, metric: Metric, settings: MetricSettings) -> Geometry:
    """The customers of a row order under a metric: a word, or a matrix as `given_geometry` takes it.

    Raises SettingError for an unknown word, and for what a metric does not allow.
    """
    if not isinstance(metric, str):
        keys = features.keys.tolist()
        return given_geometry(_by_key(metric, keys), keys).renumbered(everyone.order.argsort())
    labels = features.keys[everyone.order].tolist()
    if metric == "gower":
        return gower_geometry(mixed_rows(features, everyone.order), labels)
    if metric not in METRICS:
        raise SettingError.not_one_of("metric", metric, CUSTOMER_METRICS)
    values = features.values[everyone.order] if metric in SERIES_METRICS else everyone.columns.T
    return geometry(metric, values, settings, labels)


def distances_of(features: FeatureSet, metric: Metric) -> Geometry:
    """The distances between customers, in their order."""
    everyone = order_customers(features)
    return customer_distances(features, everyone, metric, MetricSettings()).renumbered(everyone.order)


def told_metric(metric: Metric | None) -> dict[str, str]:
    """The metric among a segmentation's settings; of a matrix why it cannot be told."""
    if metric is None or isinstance(metric, str):
        return {} if metric is None else {"metric": metric}
    return {"not_repeatable": "it was given the distances themselves, which no plan holds"}


POINT_METRICS = ("euclidean", "city_block")


def neighbours_of(features: FeatureSet, everyone: RowOrder, metric: Metric) -> Neighbours:
    """The customers of a row order under a metric."""
    compile_neighbours()
    if isinstance(metric, str) and metric in POINT_METRICS:
        return PointNeighbours(everyone.columns, city=metric == "city_block")
    return PairNeighbours(customer_distances(features, everyone, metric, MetricSettings()))


def _by_key(distances: ArrayLike | pd.DataFrame, keys: Sequence[object]) -> ArrayLike:
    """A matrix by key, in any order, in that of the keys; what has no keys as it is."""
    if not isinstance(distances, pd.DataFrame):
        return distances
    wanted = pd.Index(list(keys))
    for axis in (distances.index, distances.columns):
        if len(axis) != len(wanted) or not wanted.isin(axis).all():
            raise SettingError("the matrix must have the customers' keys as its index and as its columns.")
    return distances.loc[wanted, wanted]
