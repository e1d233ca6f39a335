"""What segmenting files comes to: a model, sizes and how it went; a profile; and a sample to look at."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd

from gauger.columns import Values
from gauger.engine.moments import Moments
from gauger.models import SegmentModel
from gauger.remarks import Remark
from gauger.segmentation import EVERYONE, Segmentation


@dataclass(frozen=True, eq=False)
class PartProfile:
    """What segments are like, from everyone: tables with a row a segment and "everyone", a column a feature, in
    original units; quartiles are exact."""

    means: pd.DataFrame
    standard_deviations: pd.DataFrame
    lower_quartiles: pd.DataFrame
    medians: pd.DataFrame
    upper_quartiles: pd.DataFrame
    known: pd.DataFrame

    @classmethod
    def of(cls, names: Sequence[str], moments: Moments, quartiles: Values) -> "PartProfile":
        """From moments by segment of these features, and perhaps others, and quartiles (d, k + 1, 3), everyone last."""
        whole = moments.of_everyone()
        rows = pd.Index([*range(1, len(moments.known) + 1), EVERYONE], name="segment")

        def table(values: Values) -> pd.DataFrame:
            return pd.DataFrame(values[:, : len(names)], index=rows, columns=list(names))

        lower, median, upper = (table(quartiles[:, :, at].T) for at in range(3))
        return cls(
            means=table(np.vstack([moments.means(), whole.means()])),
            standard_deviations=table(np.vstack([moments.deviations(), whole.deviations()])),
            lower_quartiles=lower,
            medians=median,
            upper_quartiles=upper,
            known=table(np.vstack([moments.known, whole.known])).astype(np.int64),
        )

    def table(self) -> pd.DataFrame:
        """One table: a row for every segment and feature."""
        parts = {
            "customers_with_a_value": self.known,
            "mean": self.means,
            "standard_deviation": self.standard_deviations,
            "lower_quartile": self.lower_quartiles,
            "median": self.medians,
            "upper_quartile": self.upper_quartiles,
        }
        long = [table.melt(ignore_index=False, var_name="feature", value_name=name) for name, table in parts.items()]
        columns = {name: one[name].to_numpy() for name, one in zip(parts, long, strict=True)}
        return long[0][["feature"]].assign(**columns).reset_index()


@dataclass(frozen=True, eq=False)
class PartSegments:
    """Segments of the customers in files.

    `sample` is a segmentation of `sampled` of the `customers`, chosen by a hash of their keys; `whole` says whether
    these are all. `passes` counts how often all were read, `iterations` those of k-means over everyone.
    """

    model: SegmentModel
    sizes: pd.Series
    history: pd.DataFrame
    converged: bool
    wcss: float
    profile: PartProfile
    sample: Segmentation
    sample_table: pd.DataFrame
    customers: int
    left_out: int
    passes: int
    remarks: tuple[Remark, ...]

    @property
    def iterations(self) -> int:
        """Iterations over everyone."""
        return len(self.history)
