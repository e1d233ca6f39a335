"""Study the count: segment with each number of segments and tabulate what each would give."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import pandas as pd

from gauger.choosing.advice import CountAdvice, advise_count
from gauger.choosing.criteria import resampled_criteria, steps_of_criteria
from gauger.choosing.evidence import MOST_CUSTOMERS, look_for_groups, steps_of_evidence
from gauger.choosing.separation import calinski_harabasz, davies_bouldin
from gauger.choosing.silhouettes import EXACT_UP_TO, SAMPLE, mean_over_segments, sample_by_segment, silhouette_values
from gauger.clustering.arrangement import Arrangement, arrange
from gauger.clustering.kmeans import (
    finish_best,
    refuse_bad_settings,
    refuse_too_few_distinct,
    segmentation_of,
)
from gauger.clustering.quick import split_centres
from gauger.clustering.racing import race
from gauger.clustering.rounds import Settled, total_spread
from gauger.clustering.seeding import seed_plusplus
from gauger.errors import SettingError, listed, plural
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import Segmentation

_EVIDENCE = 7
"""The stream of the seed that the evidence draws from."""

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
)


@dataclass(frozen=True, repr=False, eq=False)
class CountStudy(Readable):
    """What each count of segments would give, and the advice drawn from it.

    `.table` is indexed by count: wcss (within-cluster sum of squares on the working scale; always falls), wcss_share
    (of the sum for one segment), silhouette (mean, higher is better; NaN for one segment) with its standard error
    silhouette_se (0 when exact), calinski_harabasz (higher is better), davies_bouldin (lower is better), gap with its
    standard error gap_se (higher is better), prediction_strength and stability (of the weakest segment, 0 to 1, higher
    is better) and smallest_share (share of customers in the smallest segment). `.advice` has the recommendation,
    `.segmentations` the Segmentation behind each count.
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
    references: int = 10,
    resamples: int = 20,
    seed: int = 0,
) -> CountStudy:
    """Run k-means for every count, measure each by seven criteria, and advise which to take, with reasons.

    Each count also starts from the one before it with a segment split. The silhouette is exact up to `exact_up_to`
    customers; beyond, it is measured on a seeded sample of 10,000, by segment. The gap compares with `references`
    evenly filled tables, stability is over `resamples` bootstrap samples, prediction strength over ten random halves:
    these three are on a sample of up to 2,500 customers, and the evidence on groups that the advice rests on on up to
    4,000; a remark says so. Same features, same seed: the same study, whatever the order of rows.

    Raises SettingError when counts are empty, repeat, are out of order, below 1 or above the number of distinct
    customers, or when references or resamples are below 2.

    >>> import gauger, pandas as pd
    >>> visits = [1, 2, 3, 4, 5, 41, 42, 43, 44, 45, 91, 92, 93, 94, 95]
    >>> table = pd.DataFrame({"who": range(15), "visits": visits})
    >>> gauger.study_counts(gauger.prepare(table, key="who"), counts=range(1, 6)).advice.count
    3
    """
    asked = _checked(counts, len(features.keys))
    refuse_bad_settings(features, asked[-1], starts, max_rounds, seed)
    for name, value in (("references", references), ("resamples", resamples)):
        if isinstance(value, bool) or not isinstance(value, (int, np.integer)) or value < 2:
            raise SettingError(f"{name}={value!r} must be a whole number from 2 up.")
    everyone = arrange(features)
    refuse_too_few_distinct(everyone, asked[-1])
    sample = everyone.sample(MOST_CUSTOMERS, np.random.default_rng([seed, _EVIDENCE]))
    steps = sum(asked) + steps_of_criteria(references, resamples) + steps_of_evidence()
    segmentations, measures = {}, {}
    with task(f"count study, {asked[0]} to {asked[-1]} segments", steps) as advance:
        for count, seg in _segment_each(features, everyone, asked, starts, max_rounds, seed):
            segmentations[count], measures[count] = seg, _measured(seg, everyone, exact_up_to, seed)
            advance(count)
        criteria = resampled_criteria(
            everyone, asked, references=references, resamples=resamples, seed=seed, advance=advance
        )
        several = [count for count in asked if count > 1]
        evidence = look_for_groups(everyone.columns[:, sample].T, several, (seed, _EVIDENCE), advance)
    table = pd.concat([pd.DataFrame(measures).T, criteria.table], axis=1).rename_axis("count")
    table.insert(1, "wcss_share", table["wcss"] / _everyone_spread(everyone))
    names = [features.names[place] for place in everyone.places]
    advice = advise_count(table, evidence, criteria.gap, names=names, segmentations=segmentations)
    remarks = _remarks(segmentations, table, exact_up_to, criteria.measured, len(sample))
    return CountStudy(table[list(_COLUMNS)], advice, segmentations, remarks)


def possible_counts(features: FeatureSet, most: int = 10) -> range:
    """From 1 to `most`, or to as many customers as differ."""
    return range(1, min(most, len(arrange(features).distinct())) + 1)


def _everyone_spread(everyone: Arrangement) -> float:
    """The sum of squares about everyone's mean; NaN when all customers are alike, so that shares of it are too."""
    return total_spread(everyone.columns, everyone.weights)[1] or np.nan


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


def _segment_each(
    features: FeatureSet, everyone: Arrangement, counts: list[int], starts: int, max_rounds: int, seed: int
) -> Iterator[tuple[int, Segmentation]]:
    """k-means for each count, also from the centres of the one before with a segment split."""
    previous: Settled | None = None
    for count in counts:
        entrants = race(everyone, count, seed_plusplus, "kmeans++", starts, np.random.SeedSequence(seed))
        splits = []
        if previous is not None and len(previous.centres) == count - 1:
            splits = split_centres(everyone.columns, everyone.weights, previous.codes, previous.centres)
        fit = finish_best(everyone, entrants, max_rounds, splits=splits)
        previous = fit.best
        yield count, segmentation_of(features, everyone, everyone, fit, max_rounds, seed=seed)


def _measured(seg: Segmentation, everyone: Arrangement, exact_up_to: int, seed: int) -> dict[str, float]:
    """The measures of one count that need no resampling."""
    codes = seg.codes[everyone.order]
    sizes = seg.sizes.to_numpy()
    spread = _everyone_spread(everyone)
    apart, error = np.nan, np.nan
    if seg.count > 1:
        chosen = sample_by_segment(codes, exact_up_to, seed)
        values = silhouette_values(everyone.columns[:, chosen], codes[chosen])
        apart, error = mean_over_segments(values, codes[chosen], sizes)
    return {
        "wcss": seg.wcss,
        "silhouette": apart,
        "silhouette_se": error,
        "calinski_harabasz": calinski_harabasz(seg.wcss, spread, seg.count, len(codes)),
        "davies_bouldin": davies_bouldin(seg.codes, seg.distances, seg.scaled_centres),
        "smallest_share": sizes.min() / len(codes),
    }


def _remarks(
    segmentations: Mapping[int, Segmentation], table: pd.DataFrame, exact_up_to: int, resampled: int, looked_at: int
) -> tuple[Remark, ...]:
    customers = len(next(iter(segmentations.values())).codes)
    found = []
    if customers > exact_up_to:
        error = float(table["silhouette_se"].max())
        found.append(
            Remark(
                "silhouette-sampled",
                f"the silhouettes are from seeded samples of {SAMPLE:,} of {customers:,} customers: their standard "
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
