"""Build a merge tree of customers or of features."""

from dataclasses import replace
from typing import Literal

import numpy as np
import pandas as pd
from numpy.typing import ArrayLike, NDArray

from gauger.clustering.arrangement import Arrangement, arrange
from gauger.clustering.merge_trees.cautions import (
    about_condensing,
    about_inversions,
    about_precision,
    about_series,
)
from gauger.clustering.merge_trees.condensing import MicroSegments, condense_customers
from gauger.clustering.merge_trees.joining import LINKAGES, POINT_LINKAGES, Ground, join_all
from gauger.clustering.merge_trees.joins import Joins
from gauger.clustering.merge_trees.leaf_order import MOST_LEAVES, in_best_order
from gauger.clustering.merge_trees.mixed import mixed_rows
from gauger.clustering.merge_trees.shape import larger_left, sizes_of
from gauger.clustering.merge_trees.tree import IN_DISTANCE, MergeTree
from gauger.distances import (
    METRICS,
    SERIES_METRICS,
    Geometry,
    Settings,
    correlation_matrix,
    geometry,
    given_geometry,
    gower_geometry,
)
from gauger.errors import SettingError, listed, plural
from gauger.features import FeatureSet

CUSTOMER_METRICS = (*METRICS, "gower")
FEATURE_METRICS = ("correlation", "absolute_correlation")
ROUNDING = 1e-12
"""What is no farther apart than this is as one."""
WARD_HEIGHTS = ("distance", "squared", "wcss")

Metric = str | ArrayLike | pd.DataFrame
Values = NDArray[np.float64]


def build_tree(
    features: FeatureSet,
    *,
    linkage: str | None = None,
    metric: Metric | None = None,
    of: Literal["customers", "features"] = "customers",
    ward_heights: Literal["distance", "squared", "wcss"] = "distance",
    optimal_order: bool = False,
    condense: int | None = None,
    p: float = 3.0,
    band: int | None = None,
    lag: int | None = None,
    seed: int = 0,
) -> MergeTree:
    """Join customers two by two, the closest first, until all are one; or join features by how alike they are.

    `linkage` says how far apart two branches A and B are, d being the metric:

    - "single", "complete", "average": the smallest, largest, mean d between a customer of A and one of B,
    - "weighted": the mean of the distances from B to the two parts that A was made of (and so on down),
    - "centroid", "median": d between the branches' means, or between their points, a branch's point being halfway
      between those of its parts; a merge can then lie below an earlier one (an inversion, which is remarked),
    - "ward": sqrt(2 x what joining A and B adds to the within-cluster sum of squares), which is d for two customers;
      `ward_heights` "squared" leaves out the root, "wcss" gives the sum of squares of all branches after the merge.

    Heights follow Lance & Williams (1967). Ward's for five customers at 0, 1, 4, 6 and 12: joining 0 and 1 adds 0.5,
    height sqrt(2 x 0.5) = 1; 4 and 6 add 2, height 2; the two pairs, whose means are 0.5 and 5, add 2 x 2 / (2 + 2) x
    4.5² = 20.25, height 6.36; the last adds 4 x 1 / (4 + 1) x 9.25² = 68.45, height 11.7. Squared: 1, 4, 40.5 and
    136.9; as sums of squares: 0.5, 2.5, 22.75 and 91.2.

    Ward, centroid and median need "euclidean", and are by default what customers under "euclidean" get (Ward);
    everything else gets "average". `metric` is "euclidean" (default), "squared_euclidean", "city_block", "chebyshev",
    "minkowski" (with `p`), "canberra", "cosine", "correlation", "mahalanobis", or "gower": measures, flags and
    categories together, in shares of their range, values that were missing left out whatever they were filled with.
    For series, a customer (or house) a row and its periods as features: "elastic" (dynamic time warping, periods at
    most `band` apart), "elastic_shape" (the same on z-scored series) and "lagged_correlation" (up to `lag` periods);
    both are a tenth of the periods by default. Or `metric` holds the distances themselves: square, or condensed by
    rows above the diagonal; a DataFrame by key in any order.

    Trees `of` "features" take "correlation" (1 - r, default) or "absolute_correlation" (1 - |r|).

    Single linkage needs O(n) memory, Ward, centroid and median O(n d); the others hold all distances. `condense` first
    gathers customers into that many micro-segments by k-means (with `seed`). With `optimal_order`, neighbouring
    leaves are as alike as the tree allows (up to 2,000). Same features, same tree, to the bit, whatever the order of
    rows and the number of threads.

    Raises SettingError for an unknown word, a metric that the linkage or the data do not allow, distances that are
    none, one customer only, or a matrix that does not fit into memory.

    Lance & Williams (1967), The Computer Journal 9(4), 373-380; Ward (1963), Journal of the American Statistical
    Association 58, 236-244; Müllner (2011), arXiv:1109.2378.

    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [0, 1, 4, 6, 12]})
    >>> tree = gauger.build_tree(gauger.prepare(table, key="who", scale="none"))
    >>> tree.merges["height"].round(2).tolist()
    [1.0, 2.0, 6.36, 11.7]
    >>> tree.cut(count=2).codes.tolist()
    [1, 1, 1, 1, 2]
    """
    _refuse_words(of, ward_heights, seed, condense)
    settings = Settings(p, band, lag)
    if of == "features":
        ground, chosen, place = _features_ground(features, linkage, metric, condense)
        leaf_of, names = np.arange(len(features.names)), np.array(features.names, dtype=object)
        within, remarks = 0.0, []
    else:
        chosen = _linkage_for(linkage, metric)
        _refuse_alone(len(features.keys), "customer")
        everyone = arrange(features)
        micro = None if condense is None else _condensed(everyone, metric, condense, seed)
        ground = _customers_ground(features, everyone, micro, metric, settings)
        place, leaf_of, names = _leaves(features, everyone, micro)
        within, remarks = (
            (micro.spread if micro else 0.0),
            [*about_condensing(micro), *about_series(features, metric)],
        )
    if chosen not in (*POINT_LINKAGES, "single"):
        remarks += about_precision(len(ground.weights if ground.firsts is None else ground.firsts))

    def made(standing: Ground) -> Joins:
        joins = _with_heights(join_all(standing, chosen), chosen, ward_heights, within)
        turned = larger_left(joins, sizes_of(joins, standing.weights))
        return turned.renumbered(place)

    joins = made(ground)
    distances = _renumbered(ground.distances, place)
    if optimal_order:
        joins = _in_best_order(joins, distances)
    words = _height_words(chosen, ward_heights, ground.distances)
    tree = MergeTree(
        features,
        of,
        chosen,
        ground.distances.name,
        words,
        names,
        leaf_of,
        joins,
        distances,
        lambda: made(ground.shifted()),
        tuple(remarks),
    )
    return replace(tree, remarks=(*tree.remarks, *about_inversions(joins)))


def distances_of(features: FeatureSet, metric: Metric) -> Geometry:
    """The distances between customers, in their order, under a metric as `build_tree` takes it."""
    everyone = arrange(features)
    return _renumbered(_customers_ground(features, everyone, None, metric, Settings()).distances, everyone.order)


def _refuse_words(of: str, ward_heights: str, seed: int, condense: int | None) -> None:
    for name, given, allowed in (("of", of, ("customers", "features")), ("ward_heights", ward_heights, WARD_HEIGHTS)):
        if given not in allowed:
            raise SettingError.not_one_of(name, given, allowed)
    for name, number, least in (("seed", seed, 0), ("condense", 2 if condense is None else condense, 2)):
        if isinstance(number, bool) or not isinstance(number, (int, np.integer)) or number < least:
            raise SettingError(f"{name}={number!r} must be a whole number from {least} up.")


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
        raise SettingError(f"a tree joins at least two {thing}s, and there is only {many}.")


def _features_ground(
    features: FeatureSet, linkage: str | None, metric: Metric | None, condense: int | None
) -> tuple[Ground, str, NDArray[np.intp]]:
    """What a tree of features stands on, its linkage, and where each leaf stands among the features."""
    _refuse_alone(len(features.names), "feature")
    if condense is not None:
        raise SettingError("condense= gathers customers; a tree of features needs no such help.")
    name = "correlation" if metric is None else metric
    if not isinstance(name, str) or name not in FEATURE_METRICS:
        raise SettingError.not_one_of("metric", name if isinstance(name, str) else "a matrix", FEATURE_METRICS)
    chosen = _linkage_for(linkage or "average", name)
    everyone = arrange(features)
    place = everyone.places
    r = correlation_matrix(everyone.columns.T)
    flat = [features.names[place[at]] for at in np.flatnonzero(np.isnan(np.diag(r)))]
    if flat:
        raise SettingError(
            f"{listed(flat, most=6)} {plural(len(flat), 'does', 'do')} not vary, so that correlations say nothing of "
            f"{plural(len(flat), 'it', 'them')}: leave {plural(len(flat), 'it', 'them')} out."
        )
    apart = 1.0 - (r if name == "correlation" else np.abs(r))
    apart = np.where(apart > ROUNDING, (apart + apart.T) / 2.0, 0.0)
    words = "1 - r" if name == "correlation" else "1 - |r|"
    distances = Geometry(name, words, len(apart), lambda rows, others: apart[np.ix_(rows, others)])
    return Ground(distances, np.ones(len(apart))), chosen, place


def _condensed(everyone: Arrangement, metric: Metric | None, count: int, seed: int) -> MicroSegments | None:
    if not isinstance(metric, (str, type(None))) or metric in ("gower", *SERIES_METRICS):
        raise SettingError(
            f"condense= stands customers in for each other by their means, which "
            f"{f'metric={metric!r}' if isinstance(metric, str) else 'a given matrix'} does not allow."
        )
    return condense_customers(everyone, count, seed) if count < everyone.customers else None


def _customers_ground(
    features: FeatureSet, everyone: Arrangement, micro: MicroSegments | None, metric: Metric | None, settings: Settings
) -> Ground:
    """Leaves in the order of the arrangement (or of the micro-segments), and the distance between any two."""
    name = "euclidean" if metric is None else metric
    weights = micro.weights if micro else np.ones(everyone.customers)
    if not isinstance(name, str):
        return Ground(_renumbered(given_geometry(name, features.keys.tolist()), np.argsort(everyone.order)), weights)
    columns = micro.columns if micro else everyone.columns
    labels = features.keys[everyone.order].tolist() if micro is None else list(range(1, len(weights) + 1))
    if name == "gower":
        return Ground(gower_geometry(mixed_rows(features, everyone.order), labels), weights)
    if name not in METRICS:
        raise SettingError.not_one_of("metric", name, CUSTOMER_METRICS)
    values = features.values[everyone.order] if name in SERIES_METRICS else columns.T
    points = columns if name == "euclidean" else None
    return Ground(geometry(name, values, settings, labels), weights, points, None if micro else everyone.distinct())


def _leaves(
    features: FeatureSet, everyone: Arrangement, micro: MicroSegments | None
) -> tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.generic]]:
    """What number each leaf of the ground gets, each customer's leaf by that number, and the leaves' names."""
    if micro is None:
        return everyone.order, np.arange(everyone.customers), features.keys
    leaf_of = np.empty(everyone.customers, dtype=np.intp)
    leaf_of[everyone.order] = micro.home
    many = len(micro.weights)
    return (
        np.arange(many),
        leaf_of,
        np.array([f"micro-segment {number}" for number in range(1, many + 1)], dtype=object),
    )


def _renumbered(distances: Geometry, place: NDArray[np.intp]) -> Geometry:
    """The same distances between leaves of which the i-th is now called place[i]."""
    back = np.empty_like(place)
    back[place] = np.arange(len(place))
    return replace(distances, between=lambda rows, others: distances.between(back[rows], back[others]))


def _with_heights(joins: Joins, linkage: str, ward_heights: str, within: float) -> Joins:
    """Heights in the units asked for, from what the linkage computes with."""
    if linkage not in POINT_LINKAGES or (linkage == "ward" and ward_heights == "squared"):
        return joins
    height = np.sqrt(joins.height) if ward_heights != "wcss" or linkage != "ward" else np.cumsum(joins.height) / 2.0
    return joins.at_heights(height + (within if linkage == "ward" and ward_heights == "wcss" else 0.0))


def _height_words(linkage: str, ward_heights: str, distances: Geometry) -> str:
    if linkage != "ward":
        return distances.words
    if ward_heights == "distance":
        return IN_DISTANCE
    if ward_heights == "squared":
        return "2 x what the merge adds to the sum of squares"
    return "within-cluster sum of squares after the merge"


def _in_best_order(joins: Joins, distances: Geometry) -> Joins:
    if joins.leaves > MOST_LEAVES:
        raise SettingError(
            f"optimal_order= takes at most {MOST_LEAVES:,} leaves, not {joins.leaves:,}: leave it out, or condense."
        )
    everyone = np.arange(joins.leaves)
    return in_best_order(joins, distances.between(everyone, everyone))
