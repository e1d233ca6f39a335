"""Which radius: the distances to neighbours, and what each of a dozen radii makes of the customers."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from gauger.algorithms import RowOrder, fixed_generator
from gauger.algorithms.density import DensityGroups, Hierarchy, split_hierarchy, spread_groups, usual_smoothing
from gauger.algorithms.diagnostics import Knee, density_validity, find_knee
from gauger.algorithms.merge_trees import merges_of_links
from gauger.algorithms.neighbours import Neighbours
from gauger.algorithms.statistics import adjusted_rand
from gauger.choosing.evidence import MOST_CUSTOMERS, look_for_groups, steps_of_evidence
from gauger.choosing.filters import filters_of
from gauger.choosing.group_table import SEEN_IN_FEATURES, group_table
from gauger.choosing.radius_advice import RadiusAdvice, advise_radius, plateaus_of, weighed_with_groups
from gauger.clustering import (
    Metric,
    about_density,
    checked_min_points,
    checked_smallest,
    key_ranks,
    neighbours_of,
    order_customers,
    without_ties,
)
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.wording import CUSTOMER, Noun, short_number

RADII = 12
"""Radii that are tried: judgement."""

VALIDITY_SAMPLE = 2_000
"""Customers that validity is worked out on, O(n²)."""

_LEAST_HIGH, _MOST_HIGH, _ABOVE_TOP = 1.5, 5.0, 1.1
"""The largest radius: a little above where all groups become one, between these many times the knee; judgement."""

_VERDICTS = ("clear", "leaning", "unclear", "no structure")

Values = NDArray[np.float64]
Rows = NDArray[np.intp]


@dataclass(frozen=True, repr=False, eq=False)
class RadiusStudy(Readable):
    """What each radius makes of the customers, all on the working scale.

    Attributes
    ----------
    min_points : int
        How many within the radius make a core customer.
    distances : numpy.ndarray (n_customers,)
        From each customer to its `min_points`-th nearest, itself being the first, in ascending order.
    knee : Knee
        Where they turn upwards, with its strength.
    table : pandas.DataFrame
        Indexed by radius: segments, fair_segments (those with at least 2 % of the customers), unassigned_share,
        largest_share (of the largest segment), validity (density-based, -1 to 1; higher is better; NaN with fewer than
        two segments) and agreement (adjusted Rand index with the next radius, the unassigned being a group of their
        own).
    groups : int
        How many groups all radii taken together show, 1 for none.
    advice : RadiusAdvice
        The recommendation.
    by_min_points : pandas.DataFrame
        A row for each number of min points that was studied: what its own advice says.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    study_radius : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> visits = [*range(1, 21), *range(101, 121), 200]
    >>> features = gauger.prepare(pd.DataFrame({"who": range(41), "visits": visits}), key="who", scale="none")
    >>> study = gauger.study_radius(features)
    >>> study.groups, study.table["segments"].max().item()
    (2, 2)
    """

    min_points: int
    distances: Values
    knee: Knee | None
    table: pd.DataFrame
    groups: int
    advice: RadiusAdvice
    by_min_points: pd.DataFrame
    remarks: tuple[Remark, ...] = ()
    noun: Noun = CUSTOMER

    def radius_for(self, coarseness: float) -> float:
        """Give a radius of the table by one knob.

        Parameters
        ----------
        coarseness : float
            From 0.0, many small segments and many unassigned, to 1.0, few large segments and few unassigned.

        Returns
        -------
        float
            A radius, on the working scale.

        Raises
        ------
        SettingError
            For a coarseness outside 0 to 1.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> visits = [*range(1, 21), *range(101, 121), 200]
        >>> features = gauger.prepare(pd.DataFrame({"who": range(41), "visits": visits}), key="who", scale="none")
        >>> study = gauger.study_radius(features)
        >>> study.radius_for(0.0) <= study.radius_for(1.0)
        True
        """
        refuse_bad_coarseness(coarseness)
        steps = _steps(self.table["segments"].tolist())
        return float(self.table.index[steps[round(float(coarseness) * (len(steps) - 1))]])

    def headline(self) -> str:
        return (
            f"radius {short_number(self.advice.radius)} advised ({self.advice.verdict}), of {len(self.table)} compared "
            f"with {self.min_points} min points"
        )

    def overview(self) -> pd.DataFrame:
        return self.table


def study_radius(
    features: FeatureSet, *, min_points: int | Sequence[int] | None = None, metric: Metric = "euclidean"
) -> RadiusStudy:
    """Compare a dozen radii for `segment_by_density`, and advise one.

    Parameters
    ----------
    features : FeatureSet
        Customers on the working scale, from `prepare`.
    min_points : int or sequence of int, optional
        As for `segment_by_density`; of several the one with the surest advice is taken.
    metric : str, array or pandas.DataFrame
        As for `segment_by_density`.

    Returns
    -------
    RadiusStudy
        `.table` has a row a radius, `.advice` the radius with its reasons. Of more than 2,000 customers validity is
        worked out on as many of them, and a remark says so.

    Raises
    ------
    SettingError
        As `segment_by_density` does, and when all customers are equal.

    Notes
    -----
    The radii run in even ratios from where half of the customers are core to where all groups have become one; one of
    them is the knee of the sorted neighbour distances.

    References
    ----------
    Satopää, Albrecht, Irwin & Raghavan (2011), Proc. ICDCS Workshops, 166-171. Moulavi, Jaskowiak, Campello, Zimek &
    Sander (2014), Proc. SIAM Data Mining, 839-847.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> visits = [*range(1, 21), *range(101, 121), 200]
    >>> features = gauger.prepare(pd.DataFrame({"who": range(41), "visits": visits}), key="who", scale="none")
    >>> study = gauger.study_radius(features)
    >>> gauger.segment_by_density(features, study.advice.radius).sizes.tolist()
    [20, 20]
    """
    features = features.at_hand()
    asked: list[int | None] = list(min_points) if isinstance(min_points, Sequence) else [min_points]
    if not asked:
        raise SettingError("min_points=[] names none to study.")
    tried = dict.fromkeys(checked_min_points(one, features) for one in asked)
    everyone = order_customers(features)
    near = neighbours_of(features, everyone, metric)
    evidence = _CountEvidence(features, everyone) if isinstance(metric, str) and metric in SEEN_IN_FEATURES else None
    spread = neighbours_of(features, without_ties(everyone), metric)
    studies = [_study(features, everyone, near, spread, enough, evidence) for enough in tried]
    best = min(studies, key=lambda study: (_VERDICTS.index(study.advice.verdict), -_longest(study)))
    return replace(best, by_min_points=pd.DataFrame([_in_short(study) for study in studies]).set_index("min_points"))


def refuse_bad_coarseness(coarseness: float) -> None:
    """Raise SettingError unless it is a number from 0 to 1."""
    number = isinstance(coarseness, (int, float, np.integer, np.floating)) and not isinstance(coarseness, bool)
    if not number or not 0.0 <= coarseness <= 1.0:
        raise SettingError(
            f"coarseness={coarseness!r} must be a number from 0 (many small segments) to 1 (few large ones)."
        )


class _CountEvidence:
    """What the evidence of `study_counts` says of the same customers."""

    def __init__(self, features: FeatureSet, everyone: RowOrder) -> None:
        self._features = features
        table, self._names = group_table(features, everyone, everyone.sample(MOST_CUSTOMERS, fixed_generator()))
        self._place = np.empty(everyone.size, dtype=np.intp)
        self._place[everyone.order] = np.arange(everyone.size)
        self._table = table
        with task("groups, whatever the radius", steps_of_evidence()) as advance:
            self.groups = look_for_groups(table, advance).count

    def told_apart(self, codes: Rows) -> str | None:
        """In words what a filter tells apart, where density groups (n,), 0 for none, only repeat that."""
        own = codes[self._place[self._table.rows]]
        for one in filters_of(self._table):
            if one.repeated_by(own):
                return one.in_words(self._features, self._names[one.places[0]])
        return None


def _study(
    features: FeatureSet,
    everyone: RowOrder,
    near: Neighbours,
    spread: Neighbours,
    min_points: int,
    evidence: _CountEvidence | None,
) -> RadiusStudy:
    reach = near.nth_distances(min_points)
    n, names = len(reach), len(features.names)
    with task(f"links of {n:,} customers", n - 1) as advance:
        links, lengths = near.links(reach, advance)
    if not lengths.any():
        raise SettingError("all customers are equal on these features: there is no radius to study.")
    found = _levels(spread, names, min_points, n)
    knee = find_knee(np.sort(reach))
    radii = _radii(reach if reach.any() else lengths, knee, found)
    rank = key_ranks(features, everyone)
    made = (_spread(near, reach, links[lengths <= radius], radius, rank).group + 1 for radius in radii)
    table = _tabulated(radii, made, near, features)
    groups = len(found.most_stable()) if len(found.parent) > 1 else 1
    advice = advise_radius(table, knee, groups, min_points)
    if evidence is not None:
        told = None
        apart = table.index[table["fair_segments"] > 1]
        if len(apart) and evidence.groups == 1:
            chosen = advice.radius if advice.radius in apart else float(apart[len(apart) // 2])
            told = evidence.told_apart(_spread(near, reach, links[lengths <= chosen], chosen, rank).group + 1)
        advice = weighed_with_groups(advice, groups, evidence.groups, told)
    remarks = (*_about(table, advice, n), *about_density(names, everyone, near, min_points))
    advice = advice.said_of(features.noun, features.names)
    return RadiusStudy(min_points, np.sort(reach), knee, table, groups, advice, pd.DataFrame(), remarks, features.noun)


def _levels(spread: Neighbours, features: int, min_points: int, customers: int) -> Hierarchy:
    """Density levels of the same customers without ties, smoothed as they are by default where the study's own min
    points are fewer."""
    smallest = checked_smallest(None, customers)
    enough = max(usual_smoothing(features, customers, smallest), min_points)
    reach = spread.nth_distances(enough)
    merges = merges_of_links(*spread.links(reach, lambda _: None))
    return split_hierarchy(merges, reach, features, smallest, enough)


def _tabulated(radii: Sequence[float], made: Iterable[Rows], near: Neighbours, features: FeatureSet) -> pd.DataFrame:
    """The table of a study, from the codes (n,) that each radius makes, 0 for unassigned."""
    n = len(features.keys)
    fair, sample = checked_smallest(None, n), np.arange(min(n, VALIDITY_SAMPLE))
    apart = near.between(sample, sample)
    rows: list[dict[str, float]] = []
    before: Rows | None = None
    with task(f"{len(radii)} radii", len(radii)) as advance:
        for radius, codes in zip(radii, made, strict=True):
            if before is not None:
                rows[-1]["agreement"] = adjusted_rand(before, codes)
            before, sizes = codes, np.bincount(codes)[1:]
            rows.append(
                {
                    "radius": radius,
                    "segments": len(sizes),
                    "fair_segments": int((sizes >= fair).sum()),
                    "unassigned_share": float((codes == 0).mean()),
                    "largest_share": float(sizes.max(initial=0) / n),
                    "validity": density_validity(apart, codes[sample], len(features.names)),
                    "agreement": np.nan,
                }
            )
            advance(1)
    return pd.DataFrame(rows).set_index("radius")


def _radii(distances: Values, knee: Knee | None, found: Hierarchy) -> list[float]:
    """A dozen radii in even ratios, one of them the knee: from half of the customers core to all groups as one."""
    positive = np.sort(distances[distances > 0.0])
    bend = knee.height if knee is not None else float(positive[-1])
    low = min(float(np.median(positive)), bend)
    top = float(found.born[1]) * _ABOVE_TOP if len(found.born) > 1 else 0.0
    high = float(np.clip(top, _LEAST_HIGH * bend, _MOST_HIGH * bend))
    radii = np.geomspace(low, high, RADII)
    radii[np.abs(np.log(radii / bend)).argmin()] = bend
    return [float(radius) for radius in radii]


def _spread(near: Neighbours, reach: Values, links: Rows, radius: float, rank: Rows) -> DensityGroups:
    """What a radius makes of the customers, from the links that are no longer than it."""
    n = len(reach)
    cores = np.flatnonzero(reach <= radius)
    ends = coo_array((np.ones(len(links), dtype=np.int8), (links[:, 0], links[:, 1])), shape=(n, n))
    whole = connected_components(ends, directed=False)[1][cores]
    return spread_groups(near, cores, np.unique(whole, return_inverse=True)[1], radius, rank)


def _about(table: pd.DataFrame, advice: RadiusAdvice, customers: int) -> Iterator[Remark]:
    index = table.index.get_loc(advice.radius)
    if advice.verdict != "no structure" and index in (0, len(table) - 1):
        side = "smallest" if index == 0 else "largest"
        yield Remark(
            "radius-at-edge",
            f"the advised radius is the {side} that was compared; one beyond it may do as well or better.",
        )
    if customers > VALIDITY_SAMPLE:
        yield Remark(
            "validity-sampled",
            f"validity is worked out on {VALIDITY_SAMPLE:,} of {customers:,} customers: an estimate.",
        )


def _steps(segments: Sequence[int]) -> list[int]:
    """Places of radii from the most segments to the fewest above one, none with more than a smaller radius has."""
    steps = [list(segments).index(max(segments))]
    for index in range(steps[0] + 1, len(segments)):
        if 1 < segments[index] <= segments[steps[-1]]:
            steps.append(index)
    return steps


def _longest(study: RadiusStudy) -> float:
    return max((plateau.score for plateau in plateaus_of(study.table)), default=0.0)


def _in_short(study: RadiusStudy) -> dict[str, object]:
    row = study.table.loc[[study.advice.radius]].iloc[0]
    return {
        "min_points": study.min_points,
        "radius": study.advice.radius,
        "verdict": study.advice.verdict,
        "segments": int(row["segments"]),
        "unassigned_share": row["unassigned_share"],
        "validity": row["validity"],
        "groups": study.groups,
    }
