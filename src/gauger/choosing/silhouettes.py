"""Silhouette: how much closer each customer is to the own segment than to the next (Rousseeuw 1987)."""

from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.clustering.blocks import map_blocks
from gauger.clustering.kernels import distance_sums_block
from gauger.errors import SettingError
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import Segmentation

EXACT_UP_TO = 20_000
SAMPLE = 10_000

_BLOCK_ROWS = 256


@dataclass(frozen=True, repr=False, eq=False)
class Silhouette(Readable):
    """Silhouettes from -1 (nearer to another segment) to 1 (far from all others); higher means better separated.

    `.values` (n_customers,) are NaN for the unassigned and for customers outside the sample; `.mean` is over the rest,
    `.by_segment` by segment number, and `.measured` says how many customers were measured.
    """

    values: NDArray[np.float64]
    mean: float
    by_segment: pd.Series
    measured: int
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        return f"mean silhouette {self.mean:.3f} over {self.measured:,} of {len(self.values):,} customers"

    def overview(self) -> pd.DataFrame:
        return self.by_segment.to_frame()


def silhouette(seg: Segmentation, *, exact_up_to: int = EXACT_UP_TO, seed: int = 0) -> Silhouette:
    """Each customer's silhouette (b - a) / max(a, b) on the working scale, Euclidean.

    a is the mean distance to the others of the own segment, b the smallest mean distance to another segment; a
    customer alone in a segment has 0. Exact up to `exact_up_to` customers; beyond, on a sample of 10,000 drawn with
    `seed`, measured against each other, and a remark says so. O(n² d) time, O(n k) memory.

    Raises SettingError with fewer than two segments, for then there is no next one.

    Rousseeuw (1987), Journal of Computational and Applied Mathematics 20, 53-65.

    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 2, 9, 10]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2)
    >>> gauger.silhouette(seg).values.round(3).tolist()
    [0.882, 0.867, 0.867, 0.882]
    """
    if seg.count < 2:
        raise SettingError("a silhouette compares segments: it needs at least two.")
    chosen = sample_rows(len(seg.codes), exact_up_to, seed)
    chosen = chosen[seg.codes[chosen] > 0]
    values = np.full(len(seg.codes), np.nan)
    values[chosen] = silhouette_values(seg.features.values[chosen], seg.codes[chosen])
    means = pd.Series(values).groupby(seg.codes).mean().reindex(seg.numbers)
    remarks = () if len(chosen) == np.count_nonzero(seg.codes) else (_sample_remark(len(chosen), len(values)),)
    return Silhouette(values, float(np.nanmean(values)), means.rename("silhouette"), len(chosen), remarks)


def silhouette_values(values: NDArray[np.float64], codes: NDArray[np.integer]) -> NDArray[np.float64]:
    """Silhouettes (n,) of rows `values` (n, d) among each other; codes (n,) are positive, in at least one segment."""
    present, own = np.unique(codes, return_inverse=True)
    if len(present) < 2:
        return np.zeros(len(values))
    sizes = np.bincount(own)
    columns = np.ascontiguousarray(values[np.argsort(own, kind="stable")].T)
    bounds = np.concatenate(([0], np.cumsum(sizes)))
    sums = np.empty((len(values), len(present)))

    def measure(rows: slice) -> None:
        distance_sums_block(values[rows], columns, bounds, sums[rows])

    with task("silhouette", -(-len(values) // _BLOCK_ROWS)) as advance:
        for _ in map_blocks(measure, len(values), _BLOCK_ROWS):
            advance(1)
    every = np.arange(len(values))
    own_size = sizes[own]
    within = sums[every, own] / np.maximum(own_size - 1, 1)
    means = sums / sizes
    means[every, own] = np.inf
    between = means.min(axis=1)
    largest = np.maximum(within, between)
    apart = np.divide(between - within, largest, out=np.zeros(len(values)), where=largest > 0.0)
    return np.where(own_size > 1, apart, 0.0)


def sample_rows(rows: int, exact_up_to: int, seed: int) -> NDArray[np.intp]:
    """All rows, or a seeded sample of 10,000 in order when there are more than `exact_up_to`."""
    if rows <= exact_up_to:
        return np.arange(rows)
    rng = np.random.default_rng(np.random.SeedSequence(seed))
    return np.sort(rng.choice(rows, size=min(SAMPLE, rows), replace=False))


def _sample_remark(measured: int, customers: int) -> Remark:
    return Remark(
        "silhouette-sampled",
        f"the silhouette is from a seeded sample of {measured:,} of {customers:,} customers.",
    )
