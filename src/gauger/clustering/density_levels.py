"""Density levels: segments of differing density, from what every radius would make of the customers.

Campello, Moulavi & Sander (2013), Advances in Knowledge Discovery and Data Mining (PAKDD), 160-172.
"""

from dataclasses import replace
from functools import partial

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms.density import NOBODY, Hierarchy, groups_of_levels, split_hierarchy, usual_smoothing
from gauger.algorithms.merge_trees import merges_of_links
from gauger.clustering.customer_distances import Metric, neighbours_of, told_metric
from gauger.clustering.density_at_radius import checked_min_points
from gauger.clustering.density_cautions import about_contrast, about_levels
from gauger.clustering.density_outcome import key_ranks, segmentation_of_groups
from gauger.clustering.method_words import words_of
from gauger.clustering.ordering import order_customers
from gauger.clustering.spread_ties import stand_ins, without_ties
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.segmentation import AssignmentRule, Codes, Refit, Segmentation

_USUAL_SHARE, _LEAST = 0.02, 10
"""The smallest segment by default, as a share and as a number of customers: judgement."""

_DENSE_SHARE = 0.1
"""The densest part of a segment, whose members have strength 1: judgement, for one customer alone is chance."""


Values = NDArray[np.float64]
Rows = NDArray[np.intp]


def segment_by_density_levels(
    features: FeatureSet,
    smallest: int | None = None,
    *,
    min_points: int | None = None,
    metric: Metric = "euclidean",
) -> Segmentation:
    """Find segments of any shape and of differing density, without a radius.

    Parameters
    ----------
    features : FeatureSet
        Customers on the working scale, from `prepare`.
    smallest : int, optional
        The smallest segment worth having; by default 2 % of the customers, at least 10.
    min_points : int, optional
        Smooths the densities; by default 20, over three features or more 12, beyond 20,000 customers as for
        `segment_by_density`, but never more than `smallest`.
    metric : str, array or pandas.DataFrame
        A word or a matrix, as for `build_tree`.

    Returns
    -------
    Segmentation
        `.assignments` says of each customer its strength (0: it leaves its segment as soon as that comes to be, 1: it
        stays as long as the densest tenth) and outlier_score (0 to 1: how much farther it is from others than the
        densest of the branch it leaves), and of the unassigned nearest_segment and nearest_distance. `.branches` has a
        row a branch: parent, born (the distance where it came apart from others, infinite for the first), customers
        (then), stability, inside (whether it is a dense spot within its parent), and the number of its segment, 0 if it
        is none. `.departures` has a row a customer: which branch it leaves last, and at which distance. When no split
        counts, everyone is in one segment, and a remark says so.

    Raises
    ------
    SettingError
        For `smallest` below 2 or above the customers, and as `segment_by_density` does.

    Notes
    -----
    Values that repeat (whole days, flags, zeros, heaps) are first spread at random over the gaps around them, so that
    they are not dense by themselves; copies of a customer go where most of them lie. The distance of two customers
    counts as no less than how far either has to look for its `min_points`-th neighbour.
    As the radius shrinks, groups come apart; a part with at least `smallest` customers is a branch, the others leave. A
    split counts only when two of its branches are much denser inside than where they came apart, more than one cloud
    shows by chance (`python -m benchmarks.levels`). The segments are the branches whose stabilities, customers times
    how long they stay (in 1 / distance), add up highest. Dense spots inside a wide cloud never come apart from it; they
    are found where the densities have two peaks (the dip of Hartigan & Hartigan 1985).

    References
    ----------
    Campello, Moulavi & Sander (2013), PAKDD, 160-172; for the outlier score Campello, Moulavi, Zimek & Sander (2015),
    ACM Transactions on Knowledge Discovery from Data 10(1), 5.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> visits = [1, 2, 3, 4, 5, 101, 103, 105, 107, 109, 400]
    >>> features = gauger.prepare(pd.DataFrame({"who": range(11), "visits": visits}), key="who", scale="none")
    >>> gauger.segment_by_density_levels(features, 3).codes.tolist()
    [1, 1, 1, 1, 1, 2, 2, 2, 2, 2, 0]
    """
    features = features.at_hand()
    least = checked_smallest(smallest, len(features.keys))
    enough = checked_min_points(min_points, features)
    if min_points is None:
        enough = usual_smoothing(len(features.names), len(features.keys), least)
    everyone = order_customers(features)
    near = neighbours_of(features, without_ties(everyone), metric)
    reach = near.nth_distances(enough)
    with task(f"density levels of {len(reach):,} customers", len(reach) - 1) as advance:
        merges = merges_of_links(*near.links(reach, advance))
    found = split_hierarchy(merges, reach, len(features.names), least, enough)
    chosen, group = groups_of_levels(found)
    standing = stand_ins(everyone, group, found.left)
    group, branch, left = group[standing], found.branch[standing], found.left[standing]
    nearest, gaps = np.full(len(group), NOBODY), np.full(len(group), np.nan)
    outside, among = np.flatnonzero(group == NOBODY), np.flatnonzero(group != NOBODY)
    if outside.size:
        between = neighbours_of(features, everyone, metric)
        nearest[outside], gaps[outside] = between.nearest(outside, among, key_ranks(features, everyone))
    settings = {"method": "density-levels", "smallest": least, "min_points": enough, **told_metric(metric)}
    seg, order = segmentation_of_groups(
        features,
        everyone,
        group,
        words_of(settings),
        details={
            "strength": _strengths(found, chosen, group, left),
            "outlier_score": 1.0 - found.lowest()[branch] / left,
        },
        nearest=nearest,
        gaps=gaps,
    )
    back = np.argsort(everyone.order)
    departures = pd.DataFrame({"branch": branch[back], "distance": left[back]})
    refit = levels_refit(least, enough, metric) if isinstance(metric, str) else None
    rule = AssignmentRule("customer", metric) if isinstance(metric, str) else None
    seg = replace(
        seg,
        branches=_table(found, chosen[order]),
        departures=departures,
        refit=refit,
        assignment_rule=rule,
        settings=settings,
    )
    return seg.with_remarks((*about_levels(seg, least), *about_contrast(len(features.names), len(group), near, enough)))


def levels_refit(smallest: int, min_points: int, metric: str) -> Refit:
    """Levels with the same least size on other customers."""
    return Refit(partial(_refit, smallest, min_points, metric), sampled=False)


def _refit(smallest: int, min_points: int, metric: str, features: FeatureSet, _seed: int) -> Codes:
    return segment_by_density_levels(features, smallest, min_points=min_points, metric=metric).codes


def _strengths(found: Hierarchy, chosen: Rows, group: Rows, leave: Values) -> Values:
    """How long each customer stays in its segment, 0 to 1; 0 in none."""
    strength = np.zeros(len(group))
    for number, branch in enumerate(chosen.tolist()):
        own = np.flatnonzero(group == number)
        left = leave[own]
        first = min(float(found.born[branch]), float(left.max()))
        dense = float(np.quantile(left, _DENSE_SHARE))
        strength[own] = np.clip((first - left) / (first - dense), 0.0, 1.0) if first > dense else 1.0
    return strength


def _table(found: Hierarchy, chosen: Rows) -> pd.DataFrame:
    """A row a branch; `chosen` are the branches that are segments, by their numbers."""
    segment = np.zeros(len(found.parent), dtype=np.int64)
    segment[chosen] = np.arange(1, len(chosen) + 1)
    table = pd.DataFrame(
        {
            "parent": pd.Series(found.parent).astype("Int64").mask(found.parent < 0),
            "born": found.born,
            "customers": found.held,
            "stability": found.stability(),
            "inside": np.isin(np.arange(len(found.parent)), found.spots),
            "segment": segment,
        }
    )
    return table.rename_axis("branch")


def checked_smallest(smallest: int | None, customers: int) -> int:
    """The least customers of a segment, by default 2 % of all, at least 10."""
    chosen = min(max(_LEAST, round(_USUAL_SHARE * customers)), max(customers, 2)) if smallest is None else smallest
    if isinstance(chosen, bool) or not isinstance(chosen, (int, np.integer)) or not 2 <= chosen <= customers:
        raise SettingError(
            f"smallest={chosen!r} must be a whole number of customers, from 2 to the {customers:,} there are."
        )
    return int(chosen)
