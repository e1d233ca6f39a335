"""Study the count: segment with each number of segments and tabulate what each would give."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import numpy as np
import pandas as pd

from gauger.algorithms import RowOrder
from gauger.algorithms.diagnostics import EXACT_UP_TO, calinski_harabasz, davies_bouldin
from gauger.algorithms.kmeans import total_squares
from gauger.choosing.advice import CountAdvice, advise_count
from gauger.choosing.criteria import resampled_criteria, steps_of_criteria
from gauger.choosing.evidence import look_for_groups, steps_of_evidence
from gauger.choosing.group_table import GroupTable
from gauger.choosing.methods import ByKmeans, ByTree
from gauger.clustering import MergeTree, Metric, build_tree, order_customers, refuse_bad_settings
from gauger.columns import refuse_no_whole_number
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import Segmentation
from gauger.wording import Noun, first_up, listed, plural

METHODS = ("kmeans", "tree")

_COLUMNS = (
    "wcss",
    "wcss_share",
    "silhouette",
    "silhouette_se",
    "calinski_harabasz",
    "davies_bouldin",
    "gap",
    "gap_se",
    "prediction_strength",
    "stability",
    "smallest_share",
    "merge_jump",
)

USUAL_COUNTS = range(1, 11)
"""The counts tried where nobody says: more segments than people can work with are seldom wanted."""


@dataclass(frozen=True, repr=False, eq=False)
class CountStudy(Readable):
    """What each count of segments would give, and the advice drawn from it.

    Attributes
    ----------
    table : pandas.DataFrame
        Indexed by count: wcss (within-cluster sum of squares on the working scale; always falls), wcss_share (of the
        sum for one segment), silhouette (mean, higher is better; NaN for one segment) with its standard error
        silhouette_se (0 when exact), calinski_harabasz (higher is better), davies_bouldin (lower is better), gap with
        its standard error gap_se (higher is better), prediction_strength and stability (of the weakest segment, 0 to 1,
        higher is better) and smallest_share (share of customers in the smallest segment); for a tree also merge_jump,
        how much higher the merge to one segment fewer is than the last one kept.
    advice : CountAdvice
        The recommendation.
    segmentations : mapping
        The Segmentation behind each count.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    study_counts : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(15), "visits": [*range(5), *range(40, 45), *range(90, 95)]})
    >>> study = gauger.study_counts(gauger.prepare(table, key="who"), counts=range(1, 5))
    >>> study.segmentations[study.advice.count].sizes.tolist()
    [5, 5, 5]
    """

    table: pd.DataFrame
    advice: CountAdvice
    segmentations: Mapping[int, Segmentation]
    remarks: tuple[Remark, ...] = ()

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented."""
        return next(iter(self.segmentations.values())).noun

    def headline(self) -> str:
        return f"{self.advice.count} {plural(self.advice.count, 'segment')} advised, {self.advice.verdict}"

    def overview(self) -> pd.DataFrame:
        return self.table


def study_counts(
    features: FeatureSet,
    *,
    counts: Iterable[int] = USUAL_COUNTS,
    method: Literal["kmeans", "tree"] = "kmeans",
    tree: MergeTree | None = None,
    linkage: str | None = None,
    metric: Metric | None = None,
    starts: int = 10,
    max_iterations: int = 300,
    exact_up_to: int = EXACT_UP_TO,
    references: int = 10,
    resamples: int = 20,
    seed: int = 0,
) -> CountStudy:
    """Segment with every count, measure each by seven criteria, and advise which to take, with reasons.

    Parameters
    ----------
    features : FeatureSet
        Customers on the working scale, from `prepare`.
    counts : iterable of int
        The counts to try, in order, from 1 up.
    method : {"kmeans", "tree"}
        How to segment: k-means anew for each count, or one merge tree cut at every count.
    tree : MergeTree, optional
        The tree to cut; by default one is built with `linkage` and `metric`.
    linkage, metric : optional
        For the tree, as for `build_tree`.
    starts, max_iterations : int
        For k-means, as for `segment_by_kmeans`.
    exact_up_to : int
        Beyond so many customers the silhouette is measured on a sample.
    references : int
        How many evenly filled tables the gap compares with.
    resamples : int
        How many bootstrap samples stability is over.
    seed : int
        The same seed gives the same study, whatever the order of rows.

    Returns
    -------
    CountStudy
        `.table` has a row a count, `.advice` the count with its reasons, `.segmentations` the segments behind each.
        Remarks say which figures are of a sample.

    Raises
    ------
    SettingError
        When counts are empty, repeat, are out of order, below 1 or above the number of distinct customers, or when
        references or resamples are below 2.

    Notes
    -----
    The criteria: within-cluster sum of squares and its elbow, silhouette, Caliński-Harabasz, Davies-Bouldin, gap,
    prediction strength, and stability; for a tree also how high the next merge is. Gap, prediction strength and
    stability are measured on up to 2,500 customers, the evidence on groups that the advice rests on on up to 4,000: it
    takes no seed and has counts of its own, so that a verdict hangs on neither. For k-means each count also starts from
    the one before it with a segment split.

    For a tree under another metric than the Euclidean, silhouettes are by that metric; the criteria that resample look
    at points whose Euclidean distances come near to it: the features (for "cosine" and "correlation" their directions,
    for "mahalanobis" whitened), or for series and given distances the principal coordinates of up to 1,500 customers.

    References
    ----------
    Rousseeuw (1987), J. Comput. Appl. Math. 20, 53-65. Caliński & Harabasz (1974), Comm. Statist. 3(1), 1-27. Davies &
    Bouldin (1979), IEEE Trans. PAMI 1(2), 224-227. Tibshirani, Walther & Hastie (2001), J. R. Statist. Soc. B 63(2),
    411-423. Tibshirani & Walther (2005), J. Comput. Graph. Statist. 14(3), 511-528. Hennig (2007), Comput. Statist.
    Data Anal. 52(1), 258-271.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> visits = [1, 2, 3, 4, 5, 41, 42, 43, 44, 45, 91, 92, 93, 94, 95]
    >>> table = pd.DataFrame({"who": range(15), "visits": visits})
    >>> gauger.study_counts(gauger.prepare(table, key="who"), counts=range(1, 6)).advice.count
    3
    """
    features = features.at_hand()
    asked = _checked(counts, len(features.keys))
    refuse_bad_settings(features, asked[-1], starts, max_iterations, seed)
    for name, value in (("references", references), ("resamples", resamples)):
        refuse_no_whole_number(name, value, 2)
    way: ByKmeans | ByTree = ByKmeans(features, starts, max_iterations, seed)
    own_tree = _tree_for(features, method, tree, linkage, metric)
    if own_tree is not None:
        way = ByTree(own_tree, seed)
    way.refuse_too_many(asked[-1])
    looked_at, names = way.for_evidence()
    columns = way.for_criteria()
    steps = sum(asked) + steps_of_criteria(references, resamples) + steps_of_evidence()
    segmentations, measures = {}, {}
    with task(f"count study, {asked[0]} to {asked[-1]} segments", steps) as advance:
        for count, seg in way.segment_each(asked):
            segmentations[count], measures[count] = seg, _measured(seg, way, exact_up_to)
            advance(count)
        criteria = resampled_criteria(
            columns,
            asked,
            own=way.own,
            fitter=way.fitter,
            references=references,
            resamples=resamples,
            seed=seed,
            advance=advance,
        )
        evidence = look_for_groups(looked_at, advance)
    table = pd.concat([pd.DataFrame(measures).T, criteria.table], axis=1).rename_axis("count")
    table.insert(1, "wcss_share", table["wcss"] / _everyone_spread(way.everyone))
    filters = evidence.filters(features, names)
    advice = advise_count(table, evidence, criteria.gap, names=names, filters=filters, segmentations=segmentations)
    advice = way.heed(advice, evidence, segmentations)
    remarks = _remarks(segmentations, table, way.measured_on(exact_up_to), columns.shape[1], evidence.looked_at)
    remarks += (*filters.remarks(), *_about_repeats(looked_at, names))
    shapes = way.about_shapes(segmentations[advice.count])
    if advice.verdict == "no structure":
        first, *others = advice.reasons
        advice = replace(advice, reasons=(first, *(first_up(remark.text) for remark in shapes), *others))
    remarks += shapes
    shown = [name for name in _COLUMNS if name in table]
    advice = advice.said_of(features.noun, features.names)
    return CountStudy(table[shown], advice, segmentations, remarks)


def _tree_for(
    features: FeatureSet, method: str, tree: MergeTree | None, linkage: str | None, metric: Metric | None
) -> MergeTree | None:
    """The tree to cut, None for k-means."""
    if method not in METHODS:
        raise SettingError.not_one_of("method", method, METHODS)
    if method == "kmeans":
        named = [
            name for name, given in (("tree", tree), ("linkage", linkage), ("metric", metric)) if given is not None
        ]
        if named:
            raise SettingError(f"{named[0]}= is for method='tree'; k-means has none.")
        return None
    if tree is None:
        return build_tree(features, linkage=linkage, metric=metric)
    if tree.features is not features or tree.of != "customers":
        raise SettingError("the given tree must be of these features' customers.")
    return tree


def possible_counts(features: FeatureSet, highest: int = USUAL_COUNTS[-1]) -> range:
    """The counts from 1 to the highest, up to as many as customers differ."""
    return range(1, min(highest, len(order_customers(features).distinct())) + 1)


def _everyone_spread(everyone: RowOrder) -> float:
    """The sum of squares about everyone's mean; NaN when all customers are alike, so that shares of it are too."""
    return total_squares(everyone.columns, everyone.weights)[1] or np.nan


def _checked(counts: Iterable[int], customers: int) -> list[int]:
    asked = list(counts)
    if not asked:
        raise SettingError("counts is empty: give the numbers of segments to try, such as range(1, 11).")
    if any(isinstance(count, bool) or not isinstance(count, (int, np.integer)) for count in asked):
        raise SettingError(f"counts must be whole numbers, not {listed(map(repr, asked))}.")
    if asked[0] < 1 or any(after <= before for before, after in pairwise(asked)):
        raise SettingError(f"counts must rise from 1 or more without repeats, not {listed(map(str, asked), most=6)}.")
    if asked[-1] > customers:
        raise SettingError(f"counts go up to {asked[-1]}, but there are only {customers:,} customers.")
    return [int(count) for count in asked]


def _measured(seg: Segmentation, method: ByKmeans | ByTree, exact_up_to: int) -> dict[str, float]:
    """The measures of one count that need no resampling."""
    sizes = seg.sizes.to_numpy()
    apart, error = method.silhouette(seg, exact_up_to) if seg.count > 1 else (np.nan, np.nan)
    return {
        "wcss": seg.wcss,
        "silhouette": apart,
        "silhouette_se": error,
        "calinski_harabasz": calinski_harabasz(seg.wcss, _everyone_spread(method.everyone), seg.count, len(seg.codes)),
        "davies_bouldin": davies_bouldin(seg.codes, seg.distances, seg.scaled_centres),
        "smallest_share": sizes.min() / len(seg.codes),
        **method.own_measures(seg.count),
    }


def _about_repeats(table: GroupTable, names: Sequence[str]) -> Iterator[Remark]:
    """A remark on rows that repeat a customer."""
    found = table.repeats()
    if found is None or not names:
        return
    columns = tuple(dict.fromkeys(names[place] for place in found.columns))
    yield Remark(
        "rows-repeat-customers",
        f"{listed(columns, most=4)} take only {found.distinct:,} combinations in {len(table.values):,} rows, and one "
        "combination appears in several rows with different values of the other features: rows seem to be orders or "
        "visits of fewer customers. The advice counts each combination once. Summarise to one row per customer first "
        "(summarise_events, gauger features).",
        features=columns,
    )


def _remarks(
    segmentations: Mapping[int, Segmentation], table: pd.DataFrame, measured: int, resampled: int, looked_at: int
) -> tuple[Remark, ...]:
    customers = len(next(iter(segmentations.values())).codes)
    found = []
    if customers > measured:
        error = float(table["silhouette_se"].max())
        found.append(
            Remark(
                "silhouette-sampled",
                f"the silhouettes are from seeded samples of {measured:,} of {customers:,} customers: their standard "
                f"error is at most {error:.3f}.",
            )
        )
    if customers > resampled:
        about_evidence = ""
        if customers > looked_at:
            about_evidence = (
                f", and the evidence on groups is from {looked_at:,}: a segment of a few customers in a thousand can "
                "be missed"
            )
        found.append(
            Remark(
                "criteria-sampled",
                f"gap, prediction strength and stability are from one seeded sample of {resampled:,} of {customers:,} "
                f"customers{about_evidence}.",
            )
        )
    unfinished = [str(count) for count, seg in segmentations.items() if seg.converged is False]
    if unfinished:
        found.append(
            Remark(
                "not-converged",
                f"with {listed(unfinished, most=6)} segments, iterations ran out while customers were still moving: "
                "raise max_iterations (--max-iterations) before trusting those rows.",
            )
        )
    return tuple(found)
