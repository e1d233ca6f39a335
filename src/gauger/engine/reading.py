"""Blocks of customers as the numbers that features are made of."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from gauger.columns import Values, to_pandas
from gauger.engine.parts import Part
from gauger.features import Indicator, Treatment, apply_all, as_numbers
from gauger.tables import ReadingRules, with_numbers

Steps = tuple[tuple[Treatment, ...], ...]


@dataclass(frozen=True, eq=False)
class Customers:
    """Some customers: `raw` (d, n), a row a feature with NaN for gaps, and their `keys`, where these were asked for."""

    raw: Values
    keys: pa.ChunkedArray | None

    @property
    def size(self) -> int:
        """How many they are."""
        return int(self.raw.shape[1])


@dataclass(frozen=True, eq=False)
class Reader:
    """How customers are read: the key, the measures, what is an indicator of which column, whom a gap leaves out."""

    key: str
    measures: tuple[str, ...]
    indicators: Mapping[str, Indicator]
    dropped: tuple[str, ...]
    rules: ReadingRules

    @property
    def names(self) -> tuple[str, ...]:
        """The features, measures first."""
        return (*self.measures, *self.indicators)

    def customers(self, part: Part, *, keys: bool = False) -> Iterator[Customers]:
        """The customers of a part, block by block, without those whom a gap leaves out."""
        for rows, raw in self.rows(part, [self.key] if keys else []):
            yield Customers(raw, rows[self.key] if keys else None)

    def rows(self, part: Part, also: Sequence[str]) -> Iterator[tuple[pa.Table, Values]]:
        """The rows of a part's customers with their columns and others, block by block, and their raw features."""
        sources = dict.fromkeys([*also, *self.measures, *(one.column for one in self.indicators.values())])
        for block in part.blocks(list(sources), self.rules):
            block = with_numbers(block, self.measures, self.rules)
            raw = np.empty((len(self.names), block.num_rows))
            for index, name in enumerate(self.measures):
                raw[index] = numbers_of(block, name)
            if self.indicators:
                columns = list(dict.fromkeys(one.column for one in self.indicators.values()))
                table = to_pandas(block.select(columns))
                for index, indicator in enumerate(self.indicators.values(), len(self.measures)):
                    raw[index] = indicator.of(table)
            kept = self._kept(block, raw)
            if kept is not None:
                block, raw = block.filter(pa.array(kept)), np.ascontiguousarray(raw[:, kept])
            if block.num_rows:
                yield block, raw

    def _kept(self, block: pa.Table, raw: Values) -> NDArray[np.bool_] | None:
        """Whom no gap leaves out (n,); None where that is nobody."""
        kept = np.ones(block.num_rows, dtype=np.bool_)
        for name in self.dropped:
            if name in self.measures:
                kept &= ~np.isnan(raw[self.measures.index(name)])
            else:
                kept &= block[name].is_valid().to_numpy()
        return None if kept.all() else kept


def numbers_of(block: pa.Table, name: str) -> Values:
    """A measure's values (n,), NaN for gaps; raises ColumnValuesError for what is no number."""
    column = block[name]
    kind = column.type
    plain = pa.types.is_integer(kind) or pa.types.is_float32(kind) or pa.types.is_float64(kind)
    if not plain:
        return as_numbers(to_pandas(block.select([name])), name, {})
    numbers: Values = column.cast(pa.float64(), safe=False).to_numpy()
    return numbers


def treated(raw: Values, steps: Steps, order: Sequence[int] | None = None) -> Values:
    """Features after the steps of each, in their order or in another one."""
    columns = np.empty_like(raw)
    for index, source in enumerate(range(len(raw)) if order is None else order):
        columns[index] = apply_all(steps[source], raw[source])
    return columns
