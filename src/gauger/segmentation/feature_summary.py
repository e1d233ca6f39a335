"""What segments are like in the features that they were made of: means, spreads and quartiles, in original units."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

EVERYONE = "everyone"
"""The row of all segments together."""

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class FeatureSummary:
    """What segments are like in their features, in original units.

    Every table has one row per segment and, last, one for "everyone", and one column per feature.

    Attributes
    ----------
    means, standard_deviations : pandas.DataFrame
        Of the values that are there; standard deviations divide by one less than their number.
    lower_quartiles, medians, upper_quartiles : pandas.DataFrame
        Exact quartiles of the same values.
    known : pandas.DataFrame of int64
        How many customers have a value.

    See Also
    --------
    profile : Says more, of every column of a table.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2).profile.means["visits"].tolist()
    [10.0, 1.5, 6.6]
    """

    means: pd.DataFrame
    standard_deviations: pd.DataFrame
    lower_quartiles: pd.DataFrame
    medians: pd.DataFrame
    upper_quartiles: pd.DataFrame
    known: pd.DataFrame

    @classmethod
    def of(
        cls, names: Sequence[str], known: Values, means: Values, deviations: Values, quartiles: Values
    ) -> "FeatureSummary":
        """From values by segment, everyone last: counts, means and standard deviations (k + 1, d), quartiles
        (d, k + 1, 3)."""
        rows = pd.Index([*range(1, len(known)), EVERYONE], name="segment")

        def table(values: Values) -> pd.DataFrame:
            return pd.DataFrame(values, index=rows, columns=list(names))

        lower, median, upper = (table(quartiles[:, :, at].T) for at in range(3))
        return cls(table(means), table(deviations), lower, median, upper, table(known).astype(np.int64))

    @classmethod
    def of_customers(cls, original: pd.DataFrame, codes: NDArray[np.int32], count: int) -> "FeatureSummary":
        """From customers in memory: features in original units (n, d), and each one's segment, 0 if unassigned."""
        columns = original.to_numpy(dtype=np.float64).T
        groups = [codes == number for number in range(1, count + 1)]
        groups.append(codes > 0)
        own = [[column[group & ~np.isnan(column)] for group in groups] for column in columns]
        return cls.of(
            list(original.columns),
            np.array([[len(one) for one in by] for by in own]).T,
            np.array([[one.mean() if len(one) else np.nan for one in by] for by in own]).T,
            np.array([[one.std(ddof=1) if len(one) > 1 else np.nan for one in by] for by in own]).T,
            np.array([[_quartiles(one) for one in by] for by in own]),
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


def _quartiles(values: Values) -> Values:
    return np.quantile(values, (0.25, 0.5, 0.75)) if len(values) else np.full(3, np.nan)
