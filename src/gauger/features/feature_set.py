"""FeatureSet: customers' features on one working scale, with the way back to the original units."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Protocol

import numpy as np
import pandas as pd
from numpy.typing import ArrayLike, NDArray

from gauger.columns import CustomerRows
from gauger.errors import SettingError
from gauger.features.columns import Indicator
from gauger.features.recipes import Recipe
from gauger.features.treatments import Treatment, apply_all, undo_all
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.wording import CUSTOMER, Noun, plural


class Everyone(Protocol):
    """All customers of an OpenTable, whose features were learned where they live."""

    @property
    def customers(self) -> int:
        """How many there are, without those that gaps leave out."""

    def segmented(self, features: "FeatureSet", count: int, *, starts: int, max_iterations: int, seed: int) -> Any:
        """Segments of everyone by k-means: a `Segmentation`."""


@dataclass(frozen=True, repr=False, eq=False)
class FeatureSet(CustomerRows, Readable):
    """Features that are ready to be clustered, made by `prepare`.

    Attributes
    ----------
    key : str
        The name of the key column.
    keys : numpy.ndarray (n_customers,)
        Its values.
    names : tuple of str (n_features,)
        The features.
    values : numpy.ndarray (n_customers, n_features)
        The working scale, as float64 without gaps.
    original : pandas.DataFrame
        The same customers and features in original units, gaps and all, indexed by key.
    treatments : mapping
        What was done to each feature, in order.
    indicators : mapping
        The features that say whether a column has a level, or no value.
    remarks : tuple of Remark
        The cautions.
    recipes : mapping
        What was asked for each column; empty where treatments were taken over from other customers.
    noun : Noun
        The word for whoever is segmented, from the key's name or as it was given.
    everyone : Everyone, optional
        Of an OpenTable: all customers, where they live; the rows here are a sample of them.

    See Also
    --------
    prepare, prepare_alike : Make one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": ["a", "b", "c"], "visits": [2.0, 4.0, 10.0]})
    >>> features = gauger.prepare(table, key="who", scale="minmax")
    >>> features.names, features.values[:, 0].tolist()
    (('visits',), [0.0, 0.25, 1.0])
    """

    key: str
    keys: NDArray[np.generic]
    names: tuple[str, ...]
    values: NDArray[np.float64]
    original: pd.DataFrame
    treatments: Mapping[str, tuple[Treatment, ...]]
    indicators: Mapping[str, Indicator] = field(default_factory=dict)
    remarks: tuple[Remark, ...] = ()
    recipes: Mapping[str, Recipe] = field(default_factory=dict)
    noun: Noun = CUSTOMER
    everyone: Everyone | None = None

    @property
    def customers(self) -> int:
        """How many customers there are in all; the rows here may be a sample of them."""
        return len(self.keys) if self.everyone is None else self.everyone.customers

    def at_hand(self) -> "FeatureSet":
        """The customers at hand by themselves, for what needs their rows; raises SettingError where there are none.

        Returns
        -------
        FeatureSet
            In memory the same; of an OpenTable the sample, which no longer knows everyone.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> features = gauger.prepare(pd.DataFrame({"who": ["a", "b"], "visits": [2.0, 4.0]}), key="who")
        >>> features.at_hand() is features
        True
        """
        if self.everyone is None:
            return self
        if not len(self.keys):
            raise SettingError(
                f"no {self.noun.one} is at hand, and this needs their rows: open the table with a sample "
                "(execution=Execution(sample=…), --sample)."
            )
        return replace(self, everyone=None)

    def customer_rows(self) -> pd.DataFrame:
        """The key and the features on the working scale."""
        return pd.DataFrame({self.key: self.keys, **dict(zip(self.names, self.values.T, strict=True))})

    def treat(self, rows: pd.DataFrame) -> NDArray[np.float64]:
        """Bring rows in original units to the working scale.

        Parameters
        ----------
        rows : pandas.DataFrame (m,)
            A column for each feature.

        Returns
        -------
        numpy.ndarray (m, n_features)
            A value that a treatment cannot take, such as a refund under a logarithm, becomes NaN or infinite.

        Examples
        --------
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
        """Take some customers, on the scale learned from all.

        Parameters
        ----------
        rows : array of int (m,)
            Which, counted from 0.

        Returns
        -------
        FeatureSet
            Those customers, in the order given.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": ["a", "b", "c"], "visits": [2.0, 4.0, 10.0]})
        >>> gauger.prepare(table, key="who", scale="minmax").part([2, 1]).values.tolist()
        [[1.0], [0.25]]
        """
        values = np.ascontiguousarray(self.values.T[:, rows]).T
        values.flags.writeable = False
        return replace(self, keys=self.keys[rows], values=values, original=self.original.iloc[rows], everyone=None)

    def restore(self, values: ArrayLike) -> pd.DataFrame:
        """Bring rows on the working scale, such as centres, back to original units.

        Parameters
        ----------
        values : array (m, n_features)
            Rows on the working scale.

        Returns
        -------
        pandas.DataFrame (m, n_features)
            Scaling is undone exactly up to rounding; filled and capped values stay what they were set to.

        Examples
        --------
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
        """Give a feature's values in original units, gaps as they were filled.

        Parameters
        ----------
        name : str
            The feature.

        Returns
        -------
        numpy.ndarray (n_customers,)
            One value a customer.

        Examples
        --------
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
            f"{self.noun.counted(len(self.keys))} by {self.key}, {len(self.names)} {plural(len(self.names), 'feature')}"
        )

    def overview(self) -> pd.DataFrame:
        texts = ((step.text for step in self.treatments[name]) for name in self.names)
        done = ["; ".join(filter(None, steps)) or "as it is" for steps in texts]
        table = pd.DataFrame({"feature": self.names, "treatment": done})
        return table.set_index("feature")
