"""What a tree of customers or of features stands on: its leaves, the distances between them, and the linkage."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms import RowOrder
from gauger.algorithms.distances import METRICS, SERIES_METRICS, Geometry, MetricSettings, geometry
from gauger.algorithms.merge_trees import (
    LINKAGES,
    MATRIX_LINKAGES,
    POINT_LINKAGES,
    MicroSegments,
    TreeInput,
    condense_points,
)
from gauger.algorithms.statistics import correlation_matrix
from gauger.clustering.customer_distances import Metric, customer_distances
from gauger.clustering.ordering import order_customers
from gauger.clustering.tree_cautions import about_condensing, about_precision, about_series
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.remarks import Remark
from gauger.wording import listed, plural

FEATURE_METRICS = ("correlation", "absolute_correlation")

_ROUNDING = 1e-12
"""What is no farther apart than this is as one."""


@dataclass(frozen=True, eq=False)
class NamedInput:
    """The leaves and the linkage of a tree, and the way from there to the FeatureSet.

    Leaf i has the name `leaf_names[order[i]]`; `leaf_of` (n,) says in which leaf each customer or feature is. `within`
    is the sum of squares inside the leaves.
    """

    leaves: TreeInput
    linkage: str
    order: NDArray[np.intp]
    leaf_of: NDArray[np.intp]
    leaf_names: NDArray[np.generic]
    within: float = 0.0
    remarks: tuple[Remark, ...] = ()


def of_customers(
    features: FeatureSet,
    linkage: str | None,
    metric: Metric | None,
    settings: MetricSettings,
    condense: int | None,
    seed: int,
) -> NamedInput:
    """Customers in an order that row order cannot change, or their micro-segments."""
    chosen = _linkage_for(linkage, metric)
    _refuse_alone(len(features.keys), "customer")
    everyone = order_customers(features)
    micro = None if condense is None else _condensed(everyone, metric, condense, seed)
    tree_input = _customer_leaves(features, everyone, micro, metric, settings)
    remarks = [*about_condensing(micro), *about_series(features, metric)]
    if chosen in MATRIX_LINKAGES:
        remarks += about_precision(len(tree_input.weights if tree_input.firsts is None else tree_input.firsts))
    if micro is None:
        names: NDArray[np.generic] = features.keys
        return NamedInput(tree_input, chosen, everyone.order, np.arange(everyone.size), names, remarks=tuple(remarks))
    leaves = np.arange(len(micro.weights))
    _refuse_alone(len(leaves), "micro-segment")
    leaf_of = np.empty(everyone.size, dtype=np.intp)
    leaf_of[everyone.order] = micro.home
    names = np.array([f"micro-segment {leaf + 1}" for leaf in leaves], dtype=object)
    return NamedInput(tree_input, chosen, leaves, leaf_of, names, micro.wcss, tuple(remarks))


def of_features(features: FeatureSet, linkage: str | None, metric: Metric | None, condense: int | None) -> NamedInput:
    """Features by their correlations, in the order of their names."""
    _refuse_alone(len(features.names), "feature")
    if condense is not None:
        raise SettingError("condense= gathers customers; a tree of features needs no such help.")
    name = "correlation" if metric is None else metric
    if not isinstance(name, str) or name not in FEATURE_METRICS:
        raise SettingError.not_one_of("metric", name if isinstance(name, str) else "a matrix", FEATURE_METRICS)
    if linkage in POINT_LINKAGES:
        raise SettingError(
            f"linkage={linkage!r} works with means of customers, and features joined by correlation have none: take "
            f"{listed(('single', *MATRIX_LINKAGES), most=4, last='or')}."
        )
    chosen = _linkage_for(linkage or "average", name)
    everyone = order_customers(features)
    r = correlation_matrix(everyone.columns.T)
    flat = [features.names[everyone.column_order[at]] for at in np.flatnonzero(np.isnan(np.diag(r)))]
    if flat:
        them = plural(len(flat), "it", "them")
        raise SettingError(
            f"{listed(flat, most=6)} {plural(len(flat), 'does', 'do')} not vary, so that correlations say nothing of "
            f"{them}: leave {them} out."
        )
    apart = 1.0 - (r if name == "correlation" else np.abs(r))
    apart = np.where(apart > _ROUNDING, (apart + apart.T) / 2.0, 0.0)
    words = "1 - r" if name == "correlation" else "1 - |r|"
    distances = Geometry(name, words, len(apart), lambda rows, others: apart[np.ix_(rows, others)])
    names = np.array(features.names, dtype=object)
    return NamedInput(
        TreeInput(distances, np.ones(len(apart))), chosen, everyone.column_order, np.arange(len(apart)), names
    )


def _linkage_for(linkage: str | None, metric: Metric | None) -> str:
    """The linkage, by default the best that the metric allows."""
    euclidean = metric is None or (isinstance(metric, str) and metric == "euclidean")
    if linkage is None:
        return "ward" if euclidean else "average"
    if linkage not in LINKAGES:
        raise SettingError.not_one_of("linkage", linkage, LINKAGES)
    if linkage in POINT_LINKAGES and not euclidean:
        named = f"metric={metric!r}" if isinstance(metric, str) else "a given matrix"
        more = " and ward_heights='squared'" if isinstance(metric, str) and metric == "squared_euclidean" else ""
        raise SettingError(
            f"linkage={linkage!r} needs Euclidean geometry, for it works with means of customers, and {named} has none "
            f"to offer. Take linkage='average' or 'complete' with it, or metric='euclidean'{more} with {linkage}."
        )
    return linkage


def _refuse_alone(many: int, thing: str) -> None:
    if many < 2:
        raise SettingError(f"a tree merges at least two {thing}s, and there is only {many}.")


def _condensed(everyone: RowOrder, metric: Metric | None, count: int, seed: int) -> MicroSegments | None:
    if not isinstance(metric, (str, type(None))) or metric in ("gower", *SERIES_METRICS):
        raise SettingError(
            f"condense= stands customers in for each other by their means, which "
            f"{f'metric={metric!r}' if isinstance(metric, str) else 'a given matrix'} does not allow."
        )
    return condense_points(everyone, count, seed) if count < everyone.size else None


def _customer_leaves(
    features: FeatureSet,
    everyone: RowOrder,
    micro: MicroSegments | None,
    metric: Metric | None,
    settings: MetricSettings,
) -> TreeInput:
    """Leaves in the row order (or of the micro-segments), and the distance between any two."""
    name = "euclidean" if metric is None else metric
    if micro is not None:
        assert isinstance(name, str)
        labels = range(1, len(micro.weights) + 1)
        points = micro.columns if name == "euclidean" else None
        return TreeInput(geometry(name, micro.columns.T, settings, labels), micro.weights, points)
    plain = isinstance(name, str) and name in METRICS
    points = everyone.columns if isinstance(name, str) and name == "euclidean" else None
    distances = customer_distances(features, everyone, name, settings)
    return TreeInput(distances, np.ones(everyone.size), points, everyone.distinct() if plain else None)
