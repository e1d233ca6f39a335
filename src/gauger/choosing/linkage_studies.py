"""Which linkage: the same customers under each, side by side."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import pandas as pd

from gauger.algorithms import Stream
from gauger.algorithms.merge_trees import LINKAGES, POINT_LINKAGES
from gauger.algorithms.statistics import adjusted_rand
from gauger.choosing.cuts import fair_segments
from gauger.choosing.evidence import look_for_groups
from gauger.choosing.methods import ByTree
from gauger.choosing.sampling import sampled_features
from gauger.clustering import MergeTree, Metric, build_tree, linkage_words
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.readable import Advice, Readable
from gauger.remarks import Remark
from gauger.wording import first_up, listed, plural

MOST_CUSTOMERS = 3_000
"""Customers that trees are compared on: judgement, for the cost grows with the square."""

_CHAINED = 0.9
"""From this share in the largest segment a linkage is said to chain: judgement."""

_CLOSE = 0.02
"""A cophenetic correlation this much higher is worth a word: judgement."""

CAUTION = (
    "All this compares trees with distances, not with the truth: a tree can tell the distances well and still not give "
    "the segments you need."
)


@dataclass(frozen=True)
class LinkageAdvice(Advice):
    """Which linkage to take.

    Attributes
    ----------
    linkage : str
        The linkage advised.
    reasons : tuple of str
        Sentences with their figures, the weightiest first; the last is a caution.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(9), "visits": [1, 2, 3, 21, 22, 23, 41, 42, 43]})
    >>> advice = gauger.study_linkages(gauger.prepare(table, key="who"), count=3).advice
    >>> advice.reasons[-1].startswith("All this compares trees with distances")
    True
    """

    linkage: str
    reasons: tuple[str, ...]

    def headline(self) -> str:
        return f"{first_up(linkage_words(self.linkage))}."


@dataclass(frozen=True, repr=False, eq=False)
class LinkageStudy(Readable):
    """What each linkage makes of the same customers.

    Attributes
    ----------
    metric : str
        Under which metric.
    count : int
        At how many segments the trees were cut.
    table : pandas.DataFrame
        Indexed by linkage: cophenetic_correlation (how well the heights tell the distances; higher is better),
        largest_share and small (the share of the largest segment, and how many have at most 1.5 % of the customers),
        inversions (merges below one of their own parts), and agreement (mean adjusted Rand index with the other
        linkages' segments).
    agreement : pandas.DataFrame
        The adjusted Rand index of each two linkages' segments.
    advice : LinkageAdvice
        The recommendation.
    trees : mapping
        The trees by linkage.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    study_linkages : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(9), "visits": [1, 2, 3, 21, 22, 23, 41, 42, 43]})
    >>> gauger.study_linkages(gauger.prepare(table, key="who"), count=3).agreement.to_numpy().min().item()
    1.0
    """

    metric: str
    count: int
    table: pd.DataFrame
    agreement: pd.DataFrame
    advice: LinkageAdvice
    trees: Mapping[str, MergeTree]
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        advised = f"linkage {self.advice.linkage} advised, of {len(self.table)} compared"
        return f"{advised} at {self.count} segments ({self.metric})"

    def overview(self) -> pd.DataFrame:
        return self.table


def study_linkages(
    features: FeatureSet, *, metric: Metric | None = None, count: int | None = None, seed: int = 0
) -> LinkageStudy:
    """Build a tree by every linkage that the metric allows, cut each at the same count, and compare.

    Parameters
    ----------
    features : FeatureSet
        Customers on the working scale, from `prepare`.
    metric : str, array or pandas.DataFrame, optional
        As for `build_tree`.
    count : int, optional
        How many segments to cut each tree into; by default what the evidence on groups says, from 2 to 10.
    seed : int
        Of more than 3,000 customers a sample is drawn with it, and a remark says so.

    Returns
    -------
    LinkageStudy
        `.table` has a row a linkage, `.advice` the linkage with its reasons.

    Raises
    ------
    SettingError
        As `build_tree` does, and for a count that the customers do not allow.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(9), "visits": [1, 2, 3, 21, 22, 23, 41, 42, 43]})
    >>> study = gauger.study_linkages(gauger.prepare(table, key="who"), count=3)
    >>> study.table["largest_share"].round(2).unique().tolist()
    [0.33]
    """
    features = features.at_hand()
    if not isinstance(metric, (str, type(None))) and len(features.keys) > MOST_CUSTOMERS:
        raise SettingError(f"a given matrix can be studied for at most {MOST_CUSTOMERS:,} customers.")
    chosen, remarks = sampled_features(features, MOST_CUSTOMERS, "linkages", Stream.LINKAGES_SAMPLE.generator(seed))
    euclidean = metric is None or (isinstance(metric, str) and metric == "euclidean")
    linkages = [name for name in LINKAGES if euclidean or name not in POINT_LINKAGES]
    trees: dict[str, MergeTree] = {}
    with task("trees by linkage", len(linkages)) as advance:
        for name in linkages:
            trees[name] = build_tree(chosen, linkage=name, metric=metric)
            advance(1)
    first = trees["average"]
    groups = _groups_of(first, seed) if count is None else count
    own = min(max(groups, 2), first.leaves) if count is None else count
    cuts = {name: tree.groups(count=own).to_numpy() for name, tree in trees.items()}
    agreement = pd.DataFrame(
        {one: {other: adjusted_rand(cuts[one], cuts[other]) for other in linkages} for one in linkages}
    ).rename_axis("linkage")
    rows = {}
    for name, tree in trees.items():
        sizes = np.bincount(cuts[name])[1:]
        rows[name] = {
            "cophenetic_correlation": tree.cophenetic_correlation,
            "largest_share": sizes.max() / sizes.sum(),
            "small": len(sizes) - fair_segments(sizes),
            "inversions": len(tree.inversions),
            "agreement": float((agreement[name].sum() - 1.0) / max(len(linkages) - 1, 1)),
        }
    table = pd.DataFrame(rows).T.rename_axis("linkage").astype({"small": int, "inversions": int})
    linkage, reasons = _advise(table, own)
    if groups < own:
        reasons = (f"The customers show no groups; the linkages are compared at {own} segments all the same.", *reasons)
    return LinkageStudy(first.metric, own, table, agreement, LinkageAdvice(linkage, reasons), trees, remarks)


def _groups_of(tree: MergeTree, seed: int) -> int:
    """The number of groups that the evidence finds, 1 for none."""
    return look_for_groups(ByTree(tree, seed).for_evidence()[0]).count


def _advise(table: pd.DataFrame, count: int) -> tuple[str, tuple[str, ...]]:
    """The linkage that agrees best with the others and the distances, of those whose segments are of a fair size."""
    share, fidelity, small, inversions, agreement = (
        {str(name): float(value) for name, value in table[column].items()}
        for column in ("largest_share", "cophenetic_correlation", "small", "inversions", "agreement")
    )
    chained = [name for name in share if share[name] > _CHAINED]
    thin = [name for name in small if small[name] and name not in chained]
    turned = [name for name in inversions if inversions[name]]
    usable = [name for name in share if name not in (*chained, *thin, *turned)]
    reasons = []
    if usable:
        best = max(usable, key=lambda name: agreement[name] + fidelity[name] / 2.0)
        reasons.append(
            f"At {count} segments {linkage_words(best)} makes none too small and puts {share[best]:.0%} into the "
            f"largest; it agrees with the others by {agreement[best]:.2f} on average (adjusted Rand), and its heights "
            f"tell the distances with r = {fidelity[best]:.2f}."
        )
    else:
        best = min(share, key=lambda name: share[name])
        reasons.append(
            f"No linkage gives {count} segments of a fair size; {best} comes nearest, with {share[best]:.0%} in the "
            "largest."
        )
    if chained:
        parts = [f"{name} ({share[name]:.0%})" for name in chained]
        verb = plural(len(chained), "puts", "put")
        reasons.append(f"{first_up(listed(parts, most=7))} {verb} nearly everyone into one segment: a chain.")
    if thin:
        verb = plural(len(thin), "spends", "spend")
        reasons.append(f"{first_up(listed(thin, most=7))} {verb} segments on a few customers that lie apart.")
    if turned:
        verb = plural(len(turned), "has", "have")
        reasons.append(f"{first_up(listed(turned))} {verb} merges below earlier ones, which cannot be cut by height.")
    truest = max(fidelity, key=lambda name: fidelity[name])
    if fidelity[truest] > fidelity[best] + _CLOSE:
        reasons.append(f"{first_up(linkage_words(truest))} tells the distances best (r = {fidelity[truest]:.2f}).")
    return best, (*reasons, CAUTION)
