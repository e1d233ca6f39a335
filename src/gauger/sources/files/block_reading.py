"""Blocks of customers as the numbers that features are made of."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from gauger.columns import Values, to_pandas
from gauger.features import as_numbers
from gauger.sources.feature_columns import FeatureColumns
from gauger.sources.files.file_parts import BlockPart
from gauger.tables import ReadingRules, with_numbers


@dataclass(frozen=True, eq=False)
class CustomerBlock:
    """Some customers: `raw` (d, n), one row per feature, NaN for gaps, and their `keys`, if they were asked for."""

    raw: Values
    keys: pa.ChunkedArray | None

    @property
    def size(self) -> int:
        """How many they are."""
        return int(self.raw.shape[1])


@dataclass(frozen=True, eq=False)
class Reader:
    """How customers are read: which columns make the features, by which rules."""

    columns: FeatureColumns
    rules: ReadingRules

    @property
    def names(self) -> tuple[str, ...]:
        """The features, measures first."""
        return self.columns.names

    def customers(self, part: BlockPart, *, keys: bool = False) -> Iterator[CustomerBlock]:
        """The customers of a part, block by block, without those that a gap leaves out."""
        for rows, raw in self.rows(part, [self.columns.key] if keys else []):
            yield CustomerBlock(raw, rows[self.columns.key] if keys else None)

    def rows(self, part: BlockPart, also: Sequence[str]) -> Iterator[tuple[pa.Table, Values]]:
        """The rows of a part's customers with their columns and others, block by block, and their raw features."""
        columns = self.columns
        levelled = list(dict.fromkeys(one.column for one in columns.indicators.values()))
        for block in part.blocks(
            list(dict.fromkeys([*also, *columns.measures, *levelled, *columns.dropped])), self.rules
        ):
            block = with_numbers(block, columns.measures, self.rules)
            raw = np.empty((len(columns.names), block.num_rows))
            for at, name in enumerate(columns.measures):
                raw[at] = numbers_of(block, name)
            if levelled:
                table = to_pandas(block.select(levelled))
                for at, indicator in enumerate(columns.indicators.values(), len(columns.measures)):
                    raw[at] = indicator.of(table)
            kept = self._kept(block, raw)
            if kept is not None:
                block, raw = block.filter(pa.array(kept)), np.ascontiguousarray(raw[:, kept])
            if block.num_rows:
                yield block, raw

    def _kept(self, block: pa.Table, raw: Values) -> NDArray[np.bool_] | None:
        """Which customers are kept in spite of their gaps (n,); None if all are."""
        kept = np.ones(block.num_rows, dtype=np.bool_)
        for name in self.columns.dropped:
            if name in self.columns.measures:
                kept &= ~np.isnan(raw[self.columns.measures.index(name)])
            else:
                kept &= block[name].is_valid().to_numpy()
        return None if kept.all() else kept


def numbers_of(block: pa.Table, name: str) -> Values:
    """A measure's values (n,), NaN for gaps; raises ColumnValuesError for values that are not numbers."""
    column = block[name]
    kind = column.type
    plain = pa.types.is_integer(kind) or pa.types.is_float32(kind) or pa.types.is_float64(kind)
    if not plain:
        return as_numbers(to_pandas(block.select([name])), name, {})
    numbers: Values = column.cast(pa.float64(), safe=False).to_numpy()
    return numbers
