"""FeatureSet: customers' features on one working scale, with the way back to the original units."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
import pandas as pd
from numpy.typing import ArrayLike, NDArray

from gauger.errors import SettingError
from gauger.features.columns import Indicator
from gauger.features.treatments import Treatment, apply_all, undo_all
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.wording import plural


@dataclass(frozen=True, repr=False, eq=False)
class FeatureSet(Readable):
    """Features that are ready to be clustered, made by `prepare`.

    `.key` is the name of the key column, `.keys` its values (n_customers,), `.names` the features (n_features,),
    `.values` the working scale (n_customers, n_features) as float64, `.original` the same customers and features in
    original units, indexed by key, `.treatments` what was done to each feature, in order, and `.indicators` the
    features that say whether a column has a level, or no value.
    """

    key: str
    keys: NDArray[np.generic]
    names: tuple[str, ...]
    values: NDArray[np.float64]
    original: pd.DataFrame
    treatments: Mapping[str, tuple[Treatment, ...]]
    indicators: Mapping[str, Indicator] = field(default_factory=dict)
    remarks: tuple[Remark, ...] = ()

    def treat(self, rows: pd.DataFrame) -> NDArray[np.float64]:
        """Rows in original units, with a column for each feature, brought to the working scale (m, n_features).

        A value that a treatment cannot take, such as a refund under a logarithm, becomes NaN or infinite.

        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": ["a", "b", "c"], "visits": [2.0, 4.0, 10.0]})
        >>> features = gauger.prepare(table, key="who", scale="minmax")
        >>> features.treat(pd.DataFrame({"visits": [6.0]})).tolist()
        [[0.5]]
        """
        working = np.empty((len(self.names), len(rows)))
        for index, name in enumerate(self.names):
            with np.errstate(invalid="ignore", divide="ignore", over="ignore"):  # what a curve cannot take is NaN
                working[index] = apply_all(self.treatments[name], rows[name].to_numpy(dtype=np.float64))
        return working.T

    def part(self, rows: NDArray[np.integer]) -> "FeatureSet":
        """Some customers, by place, on the scale learned from all.

        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": ["a", "b", "c"], "visits": [2.0, 4.0, 10.0]})
        >>> gauger.prepare(table, key="who", scale="minmax").part([2, 1]).values.tolist()
        [[1.0], [0.25]]
        """
        values = np.ascontiguousarray(self.values.T[:, rows]).T
        values.flags.writeable = False
        return replace(self, keys=self.keys[rows], values=values, original=self.original.iloc[rows])

    def restore(self, values: ArrayLike) -> pd.DataFrame:
        """Rows on the working scale (m, n_features) brought back to original units, such as centres.

        Scaling is undone exactly up to rounding; filled and capped values stay what they were set to.

        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": ["a", "b", "c"], "visits": [2.0, 4.0, 9.0]})
        >>> features = gauger.prepare(table, key="who", scale="minmax")
        >>> features.restore(features.values)["visits"].tolist()
        [2.0, 4.0, 9.0]
        """
        rows = np.asarray(values, dtype=np.float64)
        if rows.ndim != 2 or rows.shape[1] != len(self.names):
            raise SettingError(
                f"values to restore must have a column for each of {len(self.names)} features, not shape {rows.shape}."
            )
        return pd.DataFrame(
            {name: undo_all(self.treatments[name], rows[:, index]) for index, name in enumerate(self.names)}
        )

    def recorded(self, name: str) -> NDArray[np.float64]:
        """A feature's values (n_customers,) in original units, gaps as they were filled.

        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": ["a", "b", "c"], "visits": [2.0, None, 9.0]})
        >>> gauger.prepare(table, key="who", missing="zero", scale="minmax").recorded("visits").tolist()
        [2.0, 0.0, 9.0]
        """
        values = self.original[name].to_numpy(dtype=np.float64, na_value=np.nan)
        gaps = np.isnan(values)
        if gaps.any():
            working = self.values[gaps, self.names.index(name)]
            values = values.copy()
            values[gaps] = undo_all(self.treatments[name], working)
        return values

    def headline(self) -> str:
        return (
            f"{len(self.keys):,} {plural(len(self.keys), 'customer')} by {self.key}, "
            f"{len(self.names)} {plural(len(self.names), 'feature')}"
        )

    def overview(self) -> pd.DataFrame:
        texts = ((step.text for step in self.treatments[name]) for name in self.names)
        done = ["; ".join(filter(None, steps)) or "as it is" for steps in texts]
        table = pd.DataFrame({"feature": self.names, "treatment": done})
        return table.set_index("feature")
