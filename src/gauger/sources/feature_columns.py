"""Which columns features are read from, and the treatments that bring their values to the working scale."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import pandas as pd

from gauger.columns import Values
from gauger.features import Indicator, Treatment, apply_all

Steps = tuple[tuple[Treatment, ...], ...]
"""The treatments of each feature, in the order of the features."""


@dataclass(frozen=True, eq=False)
class FeatureColumns:
    """How customers are read: the key, the measures, the indicators by name, the columns whose gaps leave a customer
    out, and the measures that hold NaN as well as gaps."""

    key: str
    measures: tuple[str, ...]
    indicators: Mapping[str, Indicator] = field(default_factory=dict)
    dropped: tuple[str, ...] = ()
    not_a_number: frozenset[str] = frozenset()

    @property
    def names(self) -> tuple[str, ...]:
        """The features, measures first."""
        return (*self.measures, *self.indicators)

    @property
    def levelled(self) -> tuple[str, ...]:
        """The columns whose levels are features."""
        return tuple(dict.fromkeys(one.column for one in self.indicators.values() if one.level is not None))

    def raw(self, table: pd.DataFrame) -> Values:
        """The features (d, n) of a table's rows, as they are read."""
        columns = [table[name].to_numpy(dtype=np.float64, na_value=np.nan) for name in self.measures]
        return np.array([*columns, *(one.of(table) for one in self.indicators.values())])


def treated(raw: Values, steps: Steps, order: Sequence[int] | None = None) -> Values:
    """Features (d, n) after the steps of each, in their order or in another one."""
    columns = np.empty_like(raw)
    for index, source in enumerate(range(len(raw)) if order is None else order):
        columns[index] = apply_all(steps[source], raw[source])
    return columns


def on_each(steps: Steps, rows: Values) -> Values:
    """Values of each feature (d, …) after its steps."""
    return np.array([apply_all(own, row) for own, row in zip(steps, rows, strict=True)])
