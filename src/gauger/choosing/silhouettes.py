"""Silhouette: how much closer each customer is to the own segment than to the next (Rousseeuw 1987)."""

from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.clustering.arrangement import arrange
from gauger.clustering.blocks import map_blocks
from gauger.clustering.kernels import distance_sums_block
from gauger.errors import SettingError
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import Segmentation

EXACT_UP_TO = 20_000
SAMPLE = 10_000

_LEAST_OF_SEGMENT = 50
_BLOCK_ROWS = 256

Values = NDArray[np.float64]
Rows = NDArray[np.intp]


@dataclass(frozen=True, repr=False, eq=False)
class Silhouette(Readable):
    """Silhouettes from -1 (nearer to another segment) to 1 (far from all others); higher means better separated.

    `.values` (n_customers,) are NaN for the unassigned and for customers outside the sample. `.mean` is over all that
    are assigned, with its standard error in `.error` (0 when everyone was measured), `.by_segment` by segment number,
    `.below_zero` the share of each segment's customers who are nearer to another segment, and `.measured` says how
    many customers were measured.
    """

    values: Values
    mean: float
    error: float
    by_segment: pd.Series
    below_zero: pd.Series
    measured: int
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        margin = f" (standard error {self.error:.3f})" if self.error else ""
        return f"mean silhouette {self.mean:.3f}{margin} over {self.measured:,} of {len(self.values):,} customers"

    def overview(self) -> pd.DataFrame:
        return pd.concat([self.by_segment, self.below_zero], axis=1)


def silhouette(seg: Segmentation, *, exact_up_to: int = EXACT_UP_TO, seed: int = 0) -> Silhouette:
    """Each customer's silhouette (b - a) / max(a, b) on the working scale, Euclidean.

    a is the mean distance to the others of the own segment, b the smallest mean distance to another segment; a
    customer alone in a segment has 0. Exact up to `exact_up_to` customers; beyond, on a sample of 10,000 drawn with
    `seed`, from each segment in proportion but at least 50, measured against each other, and a remark says so. O(n² d)
    time, O(n k) memory.

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
    everyone = arrange(seg.features)
    codes = seg.codes[everyone.order]
    chosen = sample_by_segment(codes, exact_up_to, seed)
    measured = silhouette_values(everyone.columns[:, chosen], codes[chosen])
    values = np.full(len(codes), np.nan)
    values[everyone.order[chosen]] = measured
    mean, error = mean_over_segments(measured, codes[chosen], seg.sizes.to_numpy())
    own = pd.Series(measured).groupby(codes[chosen])
    sampled = len(chosen) < np.count_nonzero(codes)
    return Silhouette(
        values,
        mean,
        error,
        own.mean().reindex(seg.numbers).rename("silhouette"),
        own.agg(lambda part: (part < 0.0).mean()).reindex(seg.numbers).rename("below_zero"),
        len(chosen),
        (_sample_remark(len(chosen), len(codes), error),) if sampled else (),
    )


def silhouette_values(columns: Values, codes: NDArray[np.integer]) -> Values:
    """Silhouettes (n,) of customers, as columns (d, n), among each other; codes (n,) are in at least one segment."""
    present, own = np.unique(codes, return_inverse=True)
    n = len(codes)
    if len(present) < 2:
        return np.zeros(n)
    sizes = np.bincount(own)
    order = np.argsort(own, kind="stable")
    grouped = np.ascontiguousarray(columns[:, order])
    values = np.ascontiguousarray(columns.T)
    bounds = np.concatenate(([0], np.cumsum(sizes)))
    sums = np.empty((n, len(present)))

    def measure(rows: slice) -> None:
        distance_sums_block(values[rows], grouped, bounds, sums[rows])

    with task("silhouette", -(-n // _BLOCK_ROWS)) as advance:
        for _ in map_blocks(measure, n, _BLOCK_ROWS):
            advance(1)
    return silhouettes_from_sums(sums, own, sizes)


def silhouettes_from_sums(sums: Values, own: NDArray[np.integer], sizes: NDArray[np.integer]) -> Values:
    """Silhouettes (n,) from each customer's summed distances (n, k) to the segments, of which `own` (n,) is the own."""
    every = np.arange(len(own))
    own_size = sizes[own]
    within = sums[every, own] / np.maximum(own_size - 1, 1)
    means = np.divide(sums, sizes, out=np.full(sums.shape, np.inf), where=sizes > 0)
    means[every, own] = np.inf
    between = means.min(axis=1)
    largest = np.maximum(within, between)
    measurable = np.isfinite(between) & (largest > 0.0) & (own_size > 1)
    apart: Values = np.divide(between - within, largest, out=np.zeros(len(own)), where=measurable)
    return apart


def sample_by_segment(codes: NDArray[np.integer], exact_up_to: int, seed: int, *, size: int = SAMPLE) -> Rows:
    """All assigned rows; of more than `exact_up_to`, a seeded sample of `size` in order, in proportion by segment."""
    rows = np.flatnonzero(codes > 0)
    if len(rows) <= exact_up_to:
        return rows
    rng = np.random.default_rng(np.random.SeedSequence(seed))
    size = min(size, len(rows))
    chosen = []
    for number in np.unique(codes[rows]):
        members = np.flatnonzero(codes == number)
        share = max(_LEAST_OF_SEGMENT, round(size * len(members) / len(rows)))
        chosen.append(rng.choice(members, size=min(share, len(members)), replace=False))
    return np.sort(np.concatenate(chosen))


def mean_over_segments(measured: Values, codes: NDArray[np.integer], sizes: NDArray[np.integer]) -> tuple[float, float]:
    """The mean silhouette of everyone and its standard error, from a sample by segment; sizes (k,) are of everyone."""
    drawn = np.bincount(codes, minlength=len(sizes) + 1)[1:]
    means = np.bincount(codes, weights=measured, minlength=len(sizes) + 1)[1:] / np.maximum(drawn, 1)
    shares = sizes / sizes.sum()
    rest = np.bincount(codes, weights=(measured - means[codes - 1]) ** 2, minlength=len(sizes) + 1)[1:]
    variances = rest / np.maximum(drawn - 1, 1) / np.maximum(drawn, 1) * (1.0 - drawn / sizes)
    return float(shares @ means), float(np.sqrt((shares**2 * variances).sum()))


def _sample_remark(measured: int, customers: int, error: float) -> Remark:
    return Remark(
        "silhouette-sampled",
        f"the silhouette is from a seeded sample of {measured:,} of {customers:,} customers: its standard error is "
        f"{error:.3f}.",
    )
