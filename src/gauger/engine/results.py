"""What segmenting files comes to: a model, sizes and how it went; a profile; and a sample to look at."""

from dataclasses import dataclass

import pandas as pd

from gauger.models import SegmentModel
from gauger.remarks import Remark
from gauger.segmentation import Segmentation


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
