"""The criteria that resample: gap, prediction strength and stability for every count, on one sample of customers."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pandas as pd

from gauger.choosing.gap import Gap, gap_statistic
from gauger.choosing.resampling import prediction_strength, stability
from gauger.clustering.arrangement import Arrangement
from gauger.clustering.quick import distinct_up_to, fits_by_count

MOST_CUSTOMERS = 2_500
SPLITS = 10

_GAP, _STRENGTH, _STABILITY, _FITS, _SAMPLE = range(5)
"""The streams of the seed."""


@dataclass(frozen=True, eq=False)
class Criteria:
    """`table` has a row a count: gap, gap_se, prediction_strength, stability; `measured` customers were looked at."""

    table: pd.DataFrame
    gap: Gap
    measured: int


def steps_of_criteria(references: int, resamples: int) -> int:
    """How many steps of progress `resampled_criteria` reports."""
    return references + SPLITS + resamples


def resampled_criteria(
    customers: Arrangement,
    counts: list[int],
    *,
    references: int,
    resamples: int,
    seed: int,
    advance: Callable[[int], None] = lambda _: None,
) -> Criteria:
    """Gap, prediction strength and stability of every count, on up to 2,500 customers drawn with `seed`."""
    rng = np.random.default_rng([seed, _SAMPLE])
    columns = customers.columns[:, customers.sample(MOST_CUSTOMERS, rng)]
    columns = np.ascontiguousarray(columns)
    most = distinct_up_to(columns, counts[-1])
    possible = [count for count in counts if count <= most]
    fits = fits_by_count(columns, possible, np.random.default_rng([seed, _FITS]))
    wcss = {count: fit.wcss for count, fit in fits.items()}
    gap = gap_statistic(columns.T, wcss, references=references, seed=(seed, _GAP), advance=advance)
    strength = prediction_strength(columns, possible, splits=SPLITS, seed=(seed, _STRENGTH), advance=advance)
    stable = stability(columns, fits, resamples=resamples, seed=(seed, _STABILITY), advance=advance)
    found = {"gap": gap.gap, "gap_se": gap.error, "prediction_strength": strength, "stability": stable}
    table = pd.DataFrame({name: pd.Series(values, dtype=float) for name, values in found.items()}).reindex(counts)
    return Criteria(table.rename_axis("count"), gap, columns.shape[1])
