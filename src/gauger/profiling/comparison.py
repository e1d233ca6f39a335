"""Compare segments with others, a known column or earlier assignments: how they cross, match and agree."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms.statistics import adjusted_rand, best_match, contingency_table
from gauger.columns import AnyTable, CustomerRows
from gauger.errors import SettingError
from gauger.profiling.divisions import Partition, partition_of
from gauger.profiling.known_groups import Association, association_of
from gauger.profiling.worth import worth_in_words, worth_of
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME, Segmentation
from gauger.wording import Noun, plural

Codes = NDArray[np.integer]
Rows = NDArray[np.intp]


@dataclass(frozen=True, repr=False, eq=False)
class Comparison(CustomerRows, Readable):
    """Segments beside the groups of another division of the same customers, matched by key.

    Attributes
    ----------
    seg : Segmentation
        The first side.
    other : Partition
        The second side.
    crossing : pandas.DataFrame
        The contingency table: customers by segment (rows) and by group of the other side (columns), with "unassigned"
        last where there are any. `.shares` has each row's shares, `.other_shares` each column's.
    matched : pandas.DataFrame
        A row a segment: its name, the group of the other side that it matches (one to one, so that the most customers
        are in both; missing where nobody is left) and that one's name, the customers in both, their share of the
        segment, and overlap, their share of all who are in either (Jaccard, 0 to 1).
    agreement : float
        The share of customers in matched segments, or unassigned on both sides.
    adjusted_rand : float
        1 for the same division, 0 for chance; the unassigned count as one more group.
    assigned_agreement, assigned_adjusted_rand : float
        The same among the customers that both put into a segment.
    customers : pandas.DataFrame
        A row a customer of both sides, in the order of `.seg`: the key, segment, other, and moved (whether they are in
        different ones, by the match).
    only_first, only_second : pandas.Index
        The keys that one side alone has.
    worth : pandas.DataFrame
        A row for each side that are segments of the same features: segments, explained (share of the variance between
        segments), kmeans_explained (that of k-means with as many segments, on the same customers), stability (mean
        overlap with the most similar segment on bootstrap samples) and weakest (that of the weakest segment).
    association : Association, optional
        Against a known column: how far the two go together, and what one would guess of it from the segment alone.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    compare : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 2, 21, 22]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    >>> panel = pd.Series(["often", "often", "never", "never"], index=list("abcd"), name="says")
    >>> gauger.compare(seg, panel).adjusted_rand
    1.0
    """

    seg: Segmentation
    other: Partition
    crossing: pd.DataFrame
    matched: pd.DataFrame
    agreement: float
    adjusted_rand: float
    assigned_agreement: float
    assigned_adjusted_rand: float
    customers: pd.DataFrame
    only_first: pd.Index
    only_second: pd.Index
    worth: pd.DataFrame
    association: "Association | None" = None
    remarks: tuple[Remark, ...] = ()

    @property
    def shares(self) -> pd.DataFrame:
        """Of each segment's customers the share in each group of the other side; NaN in the row of an empty one."""
        return self.crossing.div(self.crossing.sum(axis=1).mask(lambda sums: sums == 0), axis=0)

    @property
    def other_shares(self) -> pd.DataFrame:
        """Of each group's customers of the other side the share in each segment."""
        return self.crossing.div(self.crossing.sum(axis=0).mask(lambda sums: sums == 0), axis=1)

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented."""
        return self.seg.noun

    @property
    def answer(self) -> str:
        """What `.worth` or `.association` says, in a sentence or two; empty where neither says anything."""
        return self.association.in_words(self.other.title) if self.association else worth_in_words(self.worth)

    def headline(self) -> str:
        many = len(self.other.labels)
        sides = (
            f"{self.seg.method} ({self.seg.count} {plural(self.seg.count, 'segment')}) against {self.other.title} "
            f"({many} {plural(many, 'segment' if self.other.numbered else 'group')})"
        )
        if self.association is not None:
            return f"{sides}: {self.noun.said(self.association.headline())}"
        return f"{sides}: {self.agreement:.0%} of {self.noun.many} agree, adjusted Rand {self.adjusted_rand:.2f}"

    def customer_rows(self) -> pd.DataFrame:
        """Who is where on both sides."""
        return self.customers

    def overview(self) -> pd.DataFrame:
        return self.crossing


def compare(
    seg: Segmentation, other: Segmentation | pd.Series | AnyTable, *, resamples: int = 20, seed: int = 0
) -> Comparison:
    """Compare segments with another segmentation, a known column or assignments: a contingency table and its measures.

    Customers are matched by key; those that only one side has are left aside, counted and named in a remark.

    Parameters
    ----------
    seg : Segmentation
        The first side.
    other : Segmentation, pandas.Series, pandas.DataFrame or another table
        The second side: another segmentation, a known column (indexed by key; a gap is unassigned), or assignments.
    resamples : int
        Between two segmentations of the same features: how many bootstrap samples their stability is over; 0 for none.
    seed : int
        For the bootstrap.

    Returns
    -------
    Comparison
        Between two segmentations of the same features `.worth` answers whether one earns its keep beside the other,
        such as k-means beside bands.

    Raises
    ------
    SettingError
        When no customer is on both sides, neither has a segment, or a column has no value or more than 100 different
        ones.

    References
    ----------
    Hubert & Arabie (1985), Journal of Classification 2, 193-218 (adjusted Rand index). Cramér (1946), Mathematical
    Methods of Statistics, 282. Goodman & Kruskal (1954), J. American Statist. Assoc. 49, 732-764.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcdef"), "visits": [1, 2, 3, 21, 22, 90]})
    >>> features = gauger.prepare(table, key="who", scale="none")
    >>> by_kmeans = gauger.segment_by_kmeans(features, 2)
    >>> by_density = gauger.segment_by_density(features, 2, min_points=2)
    >>> gauger.compare(by_kmeans, by_density).crossing.values.tolist()
    [[3, 2, 0], [0, 0, 1]]
    """
    seg = seg.sample
    theirs = partition_of(other, seg.features.key)
    if not seg.count and not theirs.labels:
        raise SettingError("neither side has a segment: there is nothing to compare.")
    keys = pd.Index(seg.features.keys)
    here = keys.isin(theirs.keys)
    if not here.any():
        raise SettingError(
            f"no customer is on both sides: the segments know {keys[0]!r}, the other side {theirs.keys[0]!r}. Are the "
            "keys written the same way?"
        )
    own, across = seg.codes[here], theirs.of(keys[here])
    crossing = contingency_table(own, across, (seg.count + 1, len(theirs.labels) + 1))
    partner = _partners(crossing)
    both = (own > 0) & (across > 0)
    together = partner[own] == across
    agreement = float((together & (both | (own == across))).mean())
    only_second = theirs.keys[~theirs.keys.isin(keys)]
    worth = worth_of(seg, other, resamples=resamples, seed=seed) if isinstance(other, Segmentation) else pd.DataFrame()
    among = float(together[both].mean()) if both.any() else np.nan
    chance = adjusted_rand(own[both], across[both]) if both.any() else np.nan
    return Comparison(
        seg,
        theirs,
        _crossing_table(crossing, seg, theirs),
        _matches(crossing, partner, seg, theirs),
        agreement,
        adjusted_rand(own, across),
        among,
        chance,
        _by_customer(keys[here], own, across, ~together, theirs).rename(columns={"key": seg.features.key}),
        keys[~here],
        only_second,
        worth,
        None if theirs.numbered else association_of(crossing),
        (*_of_one_side(keys[~here], only_second), *_unassigned_here_or_there(own, across, among, chance)),
    )


def _partners(crossing: NDArray[np.int64]) -> Rows:
    """The other side's group that each segment matches, -1 for none, and 0 for the unassigned, who match themselves."""
    partner = np.full(len(crossing), -1, dtype=np.intp)
    partner[UNASSIGNED] = UNASSIGNED
    for one, other in best_match(crossing[1:, 1:]).items():
        partner[one + 1] = other + 1
    return partner


def _crossing_table(crossing: NDArray[np.int64], seg: Segmentation, other: Partition) -> pd.DataFrame:
    """The counts with "unassigned" last, left out on a side where nobody is."""
    index = pd.Index([*seg.numbers.tolist(), UNASSIGNED_NAME], dtype=object, name="segment")
    columns = pd.Index([*other.labels, UNASSIGNED_NAME], dtype=object, name="other")
    turned = np.roll(np.roll(crossing, -1, axis=0), -1, axis=1)
    rows = [*range(seg.count), *([seg.count] if turned[-1].any() else [])]
    across = [*range(len(other.labels)), *([len(other.labels)] if turned[:, -1].any() else [])]
    return pd.DataFrame(turned, index=index, columns=columns).iloc[rows, across]


def _matches(crossing: NDArray[np.int64], partner: Rows, seg: Segmentation, other: Partition) -> pd.DataFrame:
    rows = []
    for number in seg.numbers.tolist():
        match = int(partner[number])
        shared = int(crossing[number, match]) if match > 0 else 0
        size = int(crossing[number].sum())
        either = size + (int(crossing[:, match].sum()) if match > 0 else 0) - shared
        label = other.labels[match - 1] if match > 0 else None
        name = other.name_of(label) if match > 0 else None
        rows.append(
            (seg.names[number], label, name, shared, shared / size if size else np.nan, shared / max(either, 1))
        )
    columns = ["name", "other", "other_name", "customers", "share", "overlap"]
    table = pd.DataFrame(rows, columns=columns, index=seg.numbers)
    return table.astype({"other": "Int64" if other.numbered else object})


def _by_customer(keys: pd.Index, own: Codes, across: Codes, apart: NDArray[np.bool_], other: Partition) -> pd.DataFrame:
    labels = pd.Series([UNASSIGNED if other.numbered else None, *other.labels], dtype=object)
    there = labels.iloc[across].reset_index(drop=True)
    there = there.astype("int64") if other.numbered else there
    return pd.DataFrame({"key": keys.to_numpy(), "segment": own, "other": there, "moved": apart})


def _of_one_side(here: pd.Index, there: pd.Index) -> Iterator[Remark]:
    parts = [
        f"{len(keys):,} {plural(len(keys), 'customer is', 'customers are')} {where} only"
        for keys, where in ((here, "among these segments"), (there, "on the other side"))
        if len(keys)
    ]
    if parts:
        yield Remark(
            "customers-of-one-side", f"{' and '.join(parts)}: the comparison is of those that both sides have."
        )


def _unassigned_here_or_there(own: Codes, across: Codes, among: float, chance: float) -> Iterator[Remark]:
    left = int(np.count_nonzero((own == UNASSIGNED) != (across == UNASSIGNED)))
    if left:
        text = (
            f"Among the customers that both put into a segment, {among:.0%} agree (adjusted Rand {chance:.2f})."
            if not np.isnan(among)
            else "No customer is in a segment on both sides."
        )
        who = plural(left, "customer is", "customers are")
        yield Remark("unassigned-on-one-side", f"{left:,} {who} unassigned on one side only. {text}")
