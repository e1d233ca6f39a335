"""Study the count: segment with each number of segments and tabulate what each would give."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import pandas as pd

from gauger.choosing.advice import CountAdvice, advise_count
from gauger.choosing.silhouettes import EXACT_UP_TO, sample_rows, silhouette_values
from gauger.clustering import segment_by_kmeans
from gauger.errors import SettingError, listed, plural
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import Segmentation


@dataclass(frozen=True, repr=False, eq=False)
class CountStudy(Readable):
    """What each count of segments would give, and the advice drawn from it.

    `.table` is indexed by count: wcss (within-cluster sum of squares on the working scale; always falls), silhouette
    (mean, higher is better; NaN for one segment) and smallest_share (share of customers in the smallest segment).
    `.advice` has the recommendation, `.segmentations` the Segmentation behind each count.
    """

    table: pd.DataFrame
    advice: CountAdvice
    segmentations: Mapping[int, Segmentation]
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        return f"{self.advice.count} {plural(self.advice.count, 'segment')} advised, {self.advice.verdict}"

    def overview(self) -> pd.DataFrame:
        return self.table


def study_counts(
    features: FeatureSet,
    *,
    counts: Iterable[int] = range(1, 11),
    starts: int = 10,
    max_rounds: int = 300,
    exact_up_to: int = EXACT_UP_TO,
    seed: int = 0,
) -> CountStudy:
    """Run k-means for every count and advise which to take, with reasons.

    The silhouette is exact up to `exact_up_to` customers; beyond, it is measured on one seeded sample of 10,000
    customers, the same for every count, and a remark says so. Counts above the number of customers are an error.

    Raises SettingError when counts are empty, repeat, are out of order or below 1.

    >>> import gauger, pandas as pd
    >>> visits = [1, 2, 3, 21, 22, 23, 51, 52, 53]
    >>> table = pd.DataFrame({"who": range(9), "visits": visits})
    >>> gauger.study_counts(gauger.prepare(table, key="who"), counts=range(1, 6)).advice.count
    3
    """
    asked = _checked(counts, len(features.keys))
    rows = sample_rows(len(features.keys), exact_up_to, seed)
    segmentations, records = {}, []
    with task(f"count study, {asked[0]} to {asked[-1]} segments", sum(asked)) as advance:
        for count in asked:
            seg = segment_by_kmeans(features, count, starts=starts, max_rounds=max_rounds, seed=seed)
            apart = float(silhouette_values(features.values[rows], seg.codes[rows]).mean()) if count > 1 else np.nan
            records.append((count, seg.wcss, apart, int(seg.sizes.min()) / len(seg.codes)))
            segmentations[count] = seg
            advance(count)
    columns = ["count", "wcss", "silhouette", "smallest_share"]
    table = pd.DataFrame(records, columns=columns).set_index("count")
    return CountStudy(table, advise_count(table), segmentations, _remarks(segmentations, len(rows)))


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


def _remarks(segmentations: Mapping[int, Segmentation], measured: int) -> tuple[Remark, ...]:
    customers = len(next(iter(segmentations.values())).codes)
    found = []
    if measured < customers:
        found.append(
            Remark(
                "silhouette-sampled",
                f"the silhouettes are from one seeded sample of {measured:,} of {customers:,} customers.",
            )
        )
    unfinished = [str(count) for count, seg in segmentations.items() if not seg.converged]
    if unfinished:
        found.append(
            Remark(
                "not-converged",
                f"with {listed(unfinished, most=6)} segments, rounds ran out while customers were still moving: "
                "raise max_rounds (--max-rounds) before trusting those rows.",
            )
        )
    return tuple(found)
