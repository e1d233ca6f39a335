"""Build a merge tree of customers or of features."""

from functools import partial
from typing import Literal

import numpy as np

from gauger.algorithms.distances import Geometry, MetricSettings
from gauger.algorithms.merge_trees import (
    MOST_LEAVES,
    POINT_LINKAGES,
    Merges,
    TreeInput,
    in_best_order,
    larger_left,
    merge_all,
    sizes_of,
)
from gauger.clustering.customer_distances import Metric, told_metric
from gauger.clustering.merge_tree import IN_DISTANCE, MergeTree
from gauger.clustering.tree_cautions import about_inversions
from gauger.clustering.tree_input import of_customers, of_features
from gauger.columns import refuse_no_whole_number
from gauger.errors import SettingError
from gauger.features import FeatureSet

WARD_HEIGHTS = ("distance", "squared", "wcss")


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

    Parameters
    ----------
    features : FeatureSet
        Customers on the working scale, from `prepare`.
    linkage : str, optional
        How far apart two branches A and B are, d being the metric. "single", "complete" and "average": the smallest,
        the largest, the mean d between one of A and one of B. "weighted": the mean of the distances from B to the two
        parts that A was made of. "centroid" and "median": d between the branches' means, or between points halfway
        between those of a branch's parts. "ward": see the notes. By default "ward" with "euclidean", which it,
        "centroid" and "median" need, else "average".
    metric : str, array or pandas.DataFrame, optional
        "euclidean" (default), "squared_euclidean", "city_block", "chebyshev", "minkowski", "canberra", "cosine",
        "correlation", "mahalanobis", or "gower" (measures, flags and categories together, gaps left out whatever they
        were filled with). For series, a row each with its periods as features: "dtw" (dynamic time warping),
        "dtw_zscored" (of z-scored series) and "lagged_correlation". Or the distances themselves: a square matrix, one
        condensed by rows above the diagonal, or a DataFrame by key. Trees of features take "correlation" (1 - r,
        default) or "absolute_correlation" (one less its size).
    of : {"customers", "features"}
        What is joined.
    ward_heights : {"distance", "squared", "wcss"}
        What heights of Ward's linkage are; see the notes.
    optimal_order : bool
        Whether to turn branches so that neighbouring leaves are as alike as the tree allows (up to 2,000 leaves).
    condense : int, optional
        Gather customers into so many micro-segments by k-means first.
    p : float
        The exponent of "minkowski".
    band, lag : int, optional
        The most periods that "dtw" may stretch over, and that "lagged_correlation" may shift; by default a tenth of
        them.
    seed : int
        For `condense`.

    Returns
    -------
    MergeTree
        Cut it with `.cut(count=)` or `.cut(height=)`. The same tree comes out whatever the order of rows and the
        threads.

    Raises
    ------
    SettingError
        For an unknown word, a metric that linkage or data do not allow, distances that are none, one customer only, or
        a matrix beyond the memory there is.

    Notes
    -----
    The height of a Ward merge is sqrt(2 x what it adds to the within-cluster sum of squares), which is d for two
    customers; "squared" leaves out the root, "wcss" gives the sum of squares of all branches after the merge. For five
    customers at 0, 1, 4, 6 and 12: joining 0 and 1 adds 0.5, height sqrt(2 x 0.5) = 1; 4 and 6 add 2, height 2; the two
    pairs, whose means are 0.5 and 5, add 2 x 2 / (2 + 2) x 4.5² = 20.25, height 6.36; the last adds 4 x 1 / (4 + 1) x
    9.25² = 68.45, height 11.7. Squared: 1, 4, 40.5 and 136.9; as sums of squares: 0.5, 2.5, 22.75 and 91.2.

    Centroid and median linkage can have a merge below an earlier one (an inversion, which is remarked). Single linkage
    needs O(n) memory, Ward, centroid and median O(n d); the others hold all distances, O(n²).

    References
    ----------
    Ward (1963), J. American Statist. Assoc. 58, 236-244. Lance & Williams (1967), The Computer Journal 9(4), 373-380.
    Müllner (2011), arXiv:1109.2378. Sakoe & Chiba (1978), IEEE Trans. ASSP 26(1), 43-49. Gower (1971), Biometrics
    27(4), 857-871. Bar-Joseph, Gifford & Jaakkola (2001), Bioinformatics 17, S22-S29.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [0, 1, 4, 6, 12]})
    >>> tree = gauger.build_tree(gauger.prepare(table, key="who", scale="none"))
    >>> tree.merges["height"].round(2).tolist()
    [1.0, 2.0, 6.36, 11.7]
    >>> tree.cut(count=2).codes.tolist()
    [1, 1, 1, 1, 2]
    """
    features = features.at_hand()
    _refuse_words(of, ward_heights, seed, condense)
    if of == "features":
        named = of_features(features, linkage, metric, condense)
    else:
        named = of_customers(features, linkage, metric, MetricSettings(p, band, lag), condense, seed)

    def made(leaves: TreeInput) -> Merges:
        merges = _with_heights(merge_all(leaves, named.linkage), named.linkage, ward_heights, named.within)
        return larger_left(merges, sizes_of(merges, leaves.weights)).renumbered(named.order)

    merges, distances = made(named.leaves), named.leaves.distances.renumbered(named.order)
    merges = _in_best_order(merges, distances) if optimal_order else merges
    return MergeTree(
        features,
        of,
        named.linkage,
        distances.name,
        _height_words(named.linkage, ward_heights, distances),
        named.leaf_names,
        named.leaf_of,
        merges,
        distances,
        rebuilt=lambda: made(named.leaves.shifted()),
        regrown=partial(build_tree, linkage=linkage, metric=metric, p=p, band=band, lag=lag)
        if metric is None or isinstance(metric, str)
        else None,
        remarks=(*named.remarks, *about_inversions(merges)),
        settings={
            "method": "tree",
            "linkage": named.linkage,
            **told_metric(metric),
            "ward_heights": ward_heights,
            "optimal_order": optimal_order,
            "condense": condense,
            "p": p,
            "band": band,
            "lag": lag,
            "seed": seed,
        },
    )


def _refuse_words(of: str, ward_heights: str, seed: int, condense: int | None) -> None:
    for name, given, allowed in (("of", of, ("customers", "features")), ("ward_heights", ward_heights, WARD_HEIGHTS)):
        if given not in allowed:
            raise SettingError.not_one_of(name, given, allowed)
    refuse_no_whole_number("seed", seed, 0)
    if condense is not None:
        refuse_no_whole_number("condense", condense, 2)


def _with_heights(merges: Merges, linkage: str, ward_heights: str, within: float) -> Merges:
    """Heights in the units asked for, from what the linkage computes with."""
    if linkage not in POINT_LINKAGES or (linkage == "ward" and ward_heights == "squared"):
        return merges
    height = np.sqrt(merges.height) if ward_heights != "wcss" or linkage != "ward" else np.cumsum(merges.height) / 2.0
    return merges.at_heights(height + (within if linkage == "ward" and ward_heights == "wcss" else 0.0))


def _height_words(linkage: str, ward_heights: str, distances: Geometry) -> str:
    if linkage != "ward":
        return distances.words
    if ward_heights == "distance":
        return IN_DISTANCE
    if ward_heights == "squared":
        return "2 x what the merge adds to the sum of squares"
    return "within-cluster sum of squares after the merge"


def _in_best_order(merges: Merges, distances: Geometry) -> Merges:
    if merges.leaves > MOST_LEAVES:
        raise SettingError(
            f"optimal_order= takes at most {MOST_LEAVES:,} leaves, not {merges.leaves:,}: leave it out, or condense."
        )
    everyone = np.arange(merges.leaves)
    return in_best_order(merges, distances.between(everyone, everyone))
