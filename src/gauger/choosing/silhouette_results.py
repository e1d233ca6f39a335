"""Silhouette: how much closer each customer is to the own segment than to the next (Rousseeuw 1987)."""

from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms.diagnostics import EXACT_UP_TO, sample_by_segment, sampled_silhouettes
from gauger.clustering import order_customers
from gauger.errors import SettingError
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import Segmentation

Values = NDArray[np.float64]
Rows = NDArray[np.intp]


@dataclass(frozen=True, repr=False, eq=False)
class Silhouette(Readable):
    """Silhouettes from -1 (nearer to another segment) to 1 (far from all others); higher means better separated.

    Attributes
    ----------
    values : numpy.ndarray (n_customers,)
        NaN for the unassigned and for customers outside the sample.
    mean : float
        Over all that are assigned.
    error : float
        Its standard error, of those measured and of those they are measured against; 0 when everyone was measured.
    by_segment : pandas.Series
        The mean by segment number.
    below_zero : pandas.Series
        The share of each segment's customers who are nearer to another segment.
    measured : int
        How many customers were measured.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    silhouette : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 2, 9, 10]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2)
    >>> round(gauger.silhouette(seg).mean, 3)
    0.875
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
    """Measure how much closer each customer is to the own segment than to the next.

    Parameters
    ----------
    seg : Segmentation
        At least two segments.
    exact_up_to : int
        Beyond so many customers a sample of 10,000 is measured, from each segment in proportion but at least 50, and a
        remark says so.
    seed : int
        For the sample.

    Returns
    -------
    Silhouette
        From -1 to 1 a customer; higher means better separated.

    Raises
    ------
    SettingError
        With fewer than two segments, for then there is no next one.

    Notes
    -----
    (b - a) / max(a, b), by Euclidean distances on the working scale: a is the mean distance to the others of the own
    segment, b the smallest mean distance to another segment. A customer alone in a segment has 0. O(n² d) time, O(n k)
    memory.

    References
    ----------
    Rousseeuw (1987), Journal of Computational and Applied Mathematics 20, 53-65.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 2, 9, 10]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2)
    >>> gauger.silhouette(seg).values.round(3).tolist()
    [0.882, 0.867, 0.867, 0.882]
    """
    seg = seg.sample
    if seg.count < 2:
        raise SettingError("a silhouette compares segments: it needs at least two.")
    everyone = order_customers(seg.features)
    codes = seg.codes[everyone.order]
    chosen = sample_by_segment(codes, exact_up_to, seed)
    measured, mean, error = sampled_silhouettes(everyone.columns[:, chosen], codes[chosen], seg.sizes.to_numpy())
    values = np.full(len(codes), np.nan)
    values[everyone.order[chosen]] = measured
    own = pd.Series(measured).groupby(codes[chosen])
    sampled = len(chosen) < np.count_nonzero(codes)
    return Silhouette(
        values,
        mean,
        error,
        own.mean().reindex(seg.numbers).rename("silhouette"),
        own.agg(lambda part: (part < 0.0).mean()).reindex(seg.numbers).rename("below_zero"),
        len(chosen),
        (
            *((_sample_remark(len(chosen), len(codes), error),) if sampled else ()),
            *(() if seg.customer_weights is None else (_WITHOUT_WEIGHTS,)),
        ),
    )


_WITHOUT_WEIGHTS = Remark(
    "silhouette-without-weights",
    "the silhouette counts every customer once: the customer weights that the segments were made with are not in it.",
)


def _sample_remark(measured: int, customers: int, error: float) -> Remark:
    return Remark(
        "silhouette-sampled",
        f"the silhouette is from a seeded sample of {measured:,} of {customers:,} customers: its standard error is "
        f"{error:.3f}.",
    )
