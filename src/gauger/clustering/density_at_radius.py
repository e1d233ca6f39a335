"""Density at one radius: core customers, the border around them, and everyone else.

Ester, Kriegel, Sander & Xu (1996), Proc. 2nd KDD, 226-231; Schubert, Sander, Ester, Kriegel & Xu (2017), ACM
Transactions on Database Systems 42(3), 19.
"""

from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.density import _LEAST_POINTS, NOBODY, spread_groups, usual_min_points
from gauger.clustering.customer_distances import Metric, neighbours_of, told_metric
from gauger.clustering.density_cautions import about_density, about_radius, about_small
from gauger.clustering.density_outcome import key_ranks, segmentation_of_groups
from gauger.clustering.method_words import words_of
from gauger.clustering.ordering import order_customers
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.segmentation import AssignmentRule, Codes, Refit, Segmentation
from gauger.wording import plural

CORE, BORDER, UNASSIGNED_KIND = "core", "border", "unassigned"


Values = NDArray[np.float64]
Rows = NDArray[np.intp]


def segment_by_density(
    features: FeatureSet, radius: float, *, min_points: int | None = None, metric: Metric = "euclidean"
) -> Segmentation:
    """Find segments of any shape: customers who stand close together, and those who belong to none (DBSCAN).

    Parameters
    ----------
    features : FeatureSet
        Customers on the working scale, from `prepare`.
    radius : float
        On the working scale, above 0: how near counts as near. `study_radius` advises one (`study.advice.radius`).
    min_points : int, optional
        How many customers within the radius, itself among them, make one a core customer; by default twice the number
        of features, at least 4.
    metric : str, array or pandas.DataFrame
        A word or a matrix, as for `build_tree`.

    Returns
    -------
    Segmentation
        `.assignments` says of each customer its kind (core, border, unassigned), and of the unassigned also
        nearest_segment and nearest_distance, from the nearest core customer: a campaign can still reach them. Distances
        are to the segment's mean, as for every method; of a ring or a band it says little. Remarks say when over 40 %
        are unassigned or over 90 % in one segment, and which radii are worth trying then; when segments are very small;
        how much contrast distances have over more than 8 features; and when customers are core by exact copies.

    Raises
    ------
    SettingError
        For a radius that is not above 0 and finite, `min_points` below 2 or above the customers, and for what a metric
        does not allow.

    Notes
    -----
    Core customers within the radius of each other are in one segment. Another customer within the radius of a core
    customer is on the border of a segment: that of its nearest core customer, of those as near the one with the lowest
    key, so that the order of rows decides nothing. All others are unassigned.

    Euclidean and city-block distances are looked for in a tree of boxes, O(n log n) or so in few features; others are
    worked out block by block, O(n²) each time.

    References
    ----------
    Ester, Kriegel, Sander & Xu (1996), Proc. 2nd KDD, 226-231. Schubert, Sander, Ester, Kriegel & Xu (2017), ACM
    Transactions on Database Systems 42(3), 19.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcdefghi"), "visits": [1, 2, 3, 4, 21, 22, 23, 24, 60]})
    >>> features = gauger.prepare(table, key="who", scale="none")
    >>> gauger.segment_by_density(features, 3).codes.tolist()
    [1, 1, 1, 1, 2, 2, 2, 2, 0]
    """
    features = features.at_hand()
    reach = checked_radius(radius)
    enough = checked_min_points(min_points, features)
    everyone = order_customers(features)
    near = neighbours_of(features, everyone, metric)
    with task(f"density within {reach:.3g}", 3) as advance:
        core = near.have_near(reach, enough)
        advance(1)
        cores = np.flatnonzero(core)
        dense = spread_groups(near, cores, near.groups(cores, reach), reach, key_ranks(features, everyone))
        advance(2)
    settings = {"method": "density", "radius": reach, "min_points": enough, **told_metric(metric)}
    kinds = np.where(core, CORE, np.where(dense.group != NOBODY, BORDER, UNASSIGNED_KIND)).astype(object)
    seg, _ = segmentation_of_groups(
        features,
        everyone,
        dense.group,
        words_of(settings),
        details={"kind": kinds},
        nearest=dense.nearest,
        gaps=dense.gaps,
    )
    own = *about_radius(seg, near, reach, enough), *about_small(seg)
    remarks = (*own, *about_density(len(features.names), everyone, near, enough))
    refit = density_refit(reach, enough, metric) if isinstance(metric, str) else None
    rule = AssignmentRule("core", metric, reach) if isinstance(metric, str) else None
    return replace(seg, refit=refit, assignment_rule=rule, settings=settings).with_remarks(remarks)


def density_refit(radius: float, min_points: int, metric: str) -> Refit:
    """The same radius on other customers."""
    return Refit(partial(_refit, radius, min_points, metric), sampled=False)


def _refit(radius: float, min_points: int, metric: str, features: FeatureSet, _seed: int) -> Codes:
    return segment_by_density(features, radius, min_points=min_points, metric=metric).codes


def checked_radius(radius: float) -> float:
    """The radius as a float, refused unless it is above 0 and finite."""
    number = isinstance(radius, (int, float, np.integer, np.floating)) and not isinstance(radius, bool)
    if not number or not 0.0 < radius < np.inf:
        raise SettingError(
            f"radius={radius!r} must be a number above 0, on the working scale: study_radius (gauger radius) advises "
            "one."
        )
    return float(radius)


def checked_min_points(min_points: int | None, features: FeatureSet) -> int:
    """The number of customers that make one of them a core customer: twice the features, at least 4, when not given."""
    customers, names = len(features.keys), len(features.names)
    usual = usual_min_points(names)
    if min_points is None and usual > customers:
        raise SettingError(
            f"density by {names} {plural(names, 'feature')} needs {usual} min points (twice the features, at least "
            f"{_LEAST_POINTS}), and there {plural(customers, 'is', 'are')} only {customers:,} "
            f"{plural(customers, 'customer')}: leave features out, or give min_points= (--min-points)."
        )
    chosen = usual if min_points is None else min_points
    if isinstance(chosen, bool) or not isinstance(chosen, (int, np.integer)) or not 2 <= chosen <= customers:
        raise SettingError(
            f"min_points={chosen!r} must be a whole number from 2, for a customer counts itself, up to the "
            f"number of customers, {customers:,}."
        )
    return int(chosen)
