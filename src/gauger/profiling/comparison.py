"""Compare two segmentations of the same customers: who is with whom in both, and how far they agree."""

from dataclasses import dataclass, replace

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

from gauger.distances import adjusted_rand
from gauger.errors import SettingError, listed, plural
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME, Segmentation

Codes = NDArray[np.integer]


@dataclass(frozen=True, repr=False, eq=False)
class Comparison(Readable):
    """Two segmentations of the same customers side by side, `.seg` and `.other`.

    `.table` is the crossing table: customers by segment of `.seg` (rows) and of `.other` (columns), each with a row or
    column "unassigned" where there are any. `.matched` has a row a segment of `.seg`: the segment of `.other` that it
    matches (one to one, so that the most customers are in both; missing where nobody is left), the customers in both,
    their share of the segment, and overlap, their share of all who are in either (0 to 1).

    `.agreement` is the share of customers in matched segments or unassigned on both sides; `.adjusted_rand` (1 for the
    same division, 0 for chance) counts the unassigned as one more group. `.assigned_agreement` and
    `.assigned_adjusted_rand` are the same among the customers that both put into a segment.
    """

    seg: Segmentation
    other: Segmentation
    table: pd.DataFrame
    matched: pd.DataFrame
    agreement: float
    adjusted_rand: float
    assigned_agreement: float
    assigned_adjusted_rand: float
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        return (
            f"{self.seg.method} ({_segments(self.seg)}) against {self.other.method} ({_segments(self.other)}): "
            f"{self.agreement:.0%} of customers agree, adjusted Rand {self.adjusted_rand:.2f}"
        )

    def overview(self) -> pd.DataFrame:
        return self.table


def compare(seg: Segmentation, other: Segmentation) -> Comparison:
    """Compare two segmentations of the same customers, matched by key.

    Raises SettingError when one side has customers that the other lacks, or neither has a segment.

    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcdef"), "visits": [1, 2, 3, 21, 22, 90]})
    >>> features = gauger.prepare(table, key="who", scale="none")
    >>> by_kmeans = gauger.segment_by_kmeans(features, 2)
    >>> by_density = gauger.segment_by_density(features, 2, min_points=2)
    >>> gauger.compare(by_kmeans, by_density).table.values.tolist()
    [[3, 2, 0], [0, 0, 1]]
    """
    theirs = _in_order_of(seg, other)
    own = seg.codes
    many, others = seg.count, other.count
    if not many and not others:
        raise SettingError("neither side has a segment: there is nothing to compare.")
    crossing = np.zeros((many + 1, others + 1), dtype=np.int64)
    np.add.at(crossing, (own, theirs), 1)
    ours, partners = linear_sum_assignment(crossing[1:, 1:], maximize=True)
    partner = dict(zip((ours + 1).tolist(), (partners + 1).tolist(), strict=True))
    both = (own > 0) & (theirs > 0)
    in_match = int(crossing[ours + 1, partners + 1].sum())
    agreement = (in_match + int(crossing[0, 0])) / len(own)
    comparison = Comparison(
        seg,
        other,
        _crossing_table(crossing),
        _matches(crossing, partner, seg.numbers),
        agreement,
        adjusted_rand(own, theirs),
        in_match / int(both.sum()) if both.any() else np.nan,
        adjusted_rand(own[both], theirs[both]) if both.any() else np.nan,
    )
    return _with_remarks(comparison, own, theirs)


def _in_order_of(seg: Segmentation, other: Segmentation) -> Codes:
    """The other side's codes in the order of this side's customers."""
    keys, theirs = pd.Index(seg.features.keys), pd.Index(other.features.keys)
    lacking, besides = keys.difference(theirs, sort=False), theirs.difference(keys, sort=False)
    for missing, side in ((lacking, "second"), (besides, "first")):
        if len(missing):
            raise SettingError(
                f"the two segmentations are of different customers: {len(missing):,} "
                f"{plural(len(missing), 'is', 'are')} not in the {side} ({listed(map(str, missing))}). Segment "
                "the same customers twice."
            )
    return np.asarray(other.codes[theirs.get_indexer(keys)])


def _crossing_table(crossing: NDArray[np.int64]) -> pd.DataFrame:
    """The counts with "unassigned" last, left out on a side where nobody is."""
    labels = [pd.Index([*range(1, size), UNASSIGNED_NAME], dtype=object) for size in crossing.shape]
    turned = np.roll(np.roll(crossing, -1, axis=0), -1, axis=1)
    table = pd.DataFrame(turned, index=labels[0].rename("segment"), columns=labels[1].rename("other"))
    kept_rows = [label for label in table.index if label != UNASSIGNED_NAME or table.loc[label].any()]
    kept_columns = [label for label in table.columns if label != UNASSIGNED_NAME or table[label].any()]
    return table.loc[kept_rows, kept_columns]


def _matches(crossing: NDArray[np.int64], partner: dict[int, int], numbers: pd.Index) -> pd.DataFrame:
    rows = []
    for number in numbers.tolist():
        match = partner.get(number)
        shared = int(crossing[number, match]) if match is not None else 0
        match = match if shared else None
        size = int(crossing[number].sum())
        either = size + (int(crossing[:, match].sum()) if match is not None else 0) - shared
        rows.append({"other": match, "customers": shared, "share": shared / size, "overlap": shared / either})
    table = pd.DataFrame(rows, columns=["other", "customers", "share", "overlap"], index=numbers)
    return table.astype({"other": "Int64"})


def _with_remarks(found: Comparison, own: Codes, theirs: Codes) -> Comparison:
    left = int(np.count_nonzero((own == UNASSIGNED) != (theirs == UNASSIGNED)))
    if not left:
        return found
    among = (
        f"Among the customers that both put into a segment, {found.assigned_agreement:.0%} agree (adjusted Rand "
        f"{found.assigned_adjusted_rand:.2f})."
        if ((own > 0) & (theirs > 0)).any()
        else "No customer is in a segment on both sides."
    )
    text = f"{left:,} {plural(left, 'customer is', 'customers are')} unassigned on one side only. {among}"
    return replace(found, remarks=(Remark("unassigned-on-one-side", text),))


def _segments(seg: Segmentation) -> str:
    return f"{seg.count} {plural(seg.count, 'segment')}"
