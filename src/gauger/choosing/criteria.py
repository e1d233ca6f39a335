"""The criteria that resample: gap, prediction strength and stability for every count, on one sample of customers."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms import RowOrder, Stream
from gauger.algorithms.diagnostics import Gap, gap_statistic, prediction_strength, stability
from gauger.algorithms.kmeans import Fitter, distinct_up_to

MOST_CUSTOMERS = 2_500
"""Customers that the criteria are measured on: judgement, for the cost grows in proportion."""

SPLITS = 10
"""Random halves that prediction strength is over: judgement; Tibshirani & Walther (2005) take five."""

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Criteria:
    """`table` has a row a count: gap, gap_se, prediction_strength, stability; `measured` customers were looked at."""

    table: pd.DataFrame
    gap: Gap
    measured: int


def steps_of_criteria(references: int, resamples: int) -> int:
    """How many steps of progress `resampled_criteria` reports."""
    return references + SPLITS + resamples


def sampled_columns(customers: RowOrder, seed: int) -> Values:
    """Up to 2,500 customers drawn with `seed`, as columns (d, n)."""
    rows = customers.sample(MOST_CUSTOMERS, Stream.CRITERIA_SAMPLE.generator(seed))
    return np.ascontiguousarray(customers.columns[:, rows])


def resampled_criteria(
    columns: Values,
    counts: list[int],
    *,
    own: Fitter,
    fitter: Fitter,
    references: int,
    resamples: int,
    seed: int,
    advance: Callable[[int], None] = lambda _: None,
) -> Criteria:
    """Gap, prediction strength and stability of every count for customers as columns (d, n), 2,500 at most.

    `own` segments them, `fitter` the reference tables, halves and resamples.
    """
    most = distinct_up_to(columns, counts[-1])
    possible = [count for count in counts if count <= most]
    fits = own(columns, possible, Stream.CRITERIA_FITS.generator(seed))
    wcss = {count: fit.wcss for count, fit in fits.items()}
    gap = gap_statistic(
        columns.T, wcss, references=references, seed=Stream.GAP_REFERENCES.seed(seed), fitter=fitter, advance=advance
    )
    strength = prediction_strength(
        columns, possible, splits=SPLITS, seed=Stream.PREDICTION_SPLITS.seed(seed), fitter=fitter, advance=advance
    )
    stable = stability(
        columns, fits, resamples=resamples, seed=Stream.STABILITY_RESAMPLES.seed(seed), fitter=fitter, advance=advance
    )
    found = {"gap": gap.gap, "gap_se": gap.error, "prediction_strength": strength, "stability": stable}
    table = pd.DataFrame({name: pd.Series(values, dtype=float) for name, values in found.items()}).reindex(counts)
    return Criteria(table.rename_axis("count"), gap, columns.shape[1])
