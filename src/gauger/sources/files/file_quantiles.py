"""Exact quantiles of measures in blocks: counted between edges that a sample suggests, then looked for where needed."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms.statistics import Edges, OrderStatistics, count_between, edges_around, mark_between, quantile_by
from gauger.columns import Values
from gauger.features import Fill, Treatment, apply_all
from gauger.sources.files.block_reading import Reader
from gauger.sources.files.crews import PartsAtWork
from gauger.sources.files.file_parts import BlockPart


@dataclass(frozen=True, eq=False)
class ValuesInRanges:
    """Values of columns that lie in ranges looked for, with the groups they are of."""

    columns: tuple[Values, ...]
    codes: tuple[NDArray[np.int32], ...]

    @classmethod
    def nothing(cls, columns: int) -> "ValuesInRanges":
        """No values yet."""
        return cls((np.empty(0),) * columns, (np.empty(0, dtype=np.int32),) * columns)

    @classmethod
    def of(cls, columns: Values, codes: NDArray[np.int32], ranges: tuple[Values, Values]) -> "ValuesInRanges":
        """The values of some rows."""
        marks = np.zeros(columns.shape, dtype=np.bool_)
        mark_between(columns, codes, 0, columns.shape[1], *ranges, marks)
        return cls(
            tuple(column[mark] for column, mark in zip(columns, marks, strict=True)),
            tuple(codes[mark] for mark in marks),
        )

    def __add__(self, other: "ValuesInRanges") -> "ValuesInRanges":
        return ValuesInRanges(_joined(self.columns, other.columns), _joined(self.codes, other.codes))


def _joined(one: Sequence, other: Sequence) -> tuple:  # type: ignore[type-arg]
    return tuple(np.concatenate(both) for both in zip(one, other, strict=True))


@dataclass(frozen=True, eq=False)
class _Filled:
    """A measure whose gaps are filled with `value`, at which rank among the present values, and how many `gaps`."""

    statistics: OrderStatistics
    column: int
    gaps: int
    value: float
    before: int

    @property
    def _size(self) -> int:
        return self.statistics.known(0, self.column) + self.gaps

    def _rank(self, rank: int) -> int | None:
        """The rank among present values; None where a filled one stands."""
        if rank < self.before:
            return rank
        return None if rank < self.before + self.gaps else rank - self.gaps

    def ranks(self, shares: Sequence[float]) -> set[int]:
        """The ranks among present values that some shares lie between."""
        lower = {int(share * (self._size - 1)) for share in shares}
        asked = lower | {min(rank + 1, self._size - 1) for rank in lower}
        return {rank for rank in map(self._rank, asked) if rank is not None}

    def _value_at(self, rank: int) -> float:
        own = self._rank(rank)
        return self.value if own is None else self.statistics.at_rank(0, self.column, own)

    def quantile(self, share: float, steps: Sequence[Treatment] = ()) -> float:
        """A quantile of the values after some steps, none of which changes their order."""
        return quantile_by(lambda rank: float(apply_all(steps, np.array([self._value_at(rank)]))[0]), self._size, share)


class OrderedBlocks:
    """Measures of everyone in blocks, counted between edges once, and looked at again where a rank is still open."""

    def __init__(
        self, reader: Reader, work: PartsAtWork, shares: Mapping[str, Sequence[float]], sample: pd.DataFrame
    ) -> None:
        self._reader, self._work, self._measures = reader, work, reader.columns.measures
        edges = Edges.of([_edges_of(sample[name], shares.get(name, ())) for name in self._measures])
        counts = work.total("counting for quantiles", _count, reader, edges).counts
        self._statistics = OrderStatistics(edges, counts)

    def medians(self, names: Sequence[str]) -> dict[str, float]:
        places = {name: self._measures.index(name) for name in names}
        self._resolve({(0, at): self._statistics.ranks_of(0, at, (0.5,)) for at in places.values()})
        return {name: self._statistics.quantile(0, at, 0.5) for name, at in places.items()}

    def filled(self, fills: Mapping[str, Fill], shares: Mapping[str, Sequence[float]]) -> dict[str, _Filled]:
        found = {}
        below = self._below(
            {name: fill.value for name, fill in fills.items() if fill.filled and fill.value is not None}
        )
        for name, fill in fills.items():
            value = fill.value if fill.filled else None
            at = self._measures.index(name)
            gaps = 0 if value is None else fill.filled
            found[name] = _Filled(self._statistics, at, gaps, value or 0.0, below.get(name, 0))
        self._resolve({(0, one.column): one.ranks(shares[name]) for name, one in found.items()})
        return found

    def _below(self, values: Mapping[str, float]) -> dict[str, int]:
        """How many values of measures are smaller than what their gaps are filled with."""
        if not values:
            return {}
        given = np.array([values.get(name, np.nan) for name in self._measures])
        counts = self._work.total("counting for quantiles", _count_below, self._reader, given).counts
        return {name: int(counts[self._measures.index(name)]) for name in values}

    def _resolve(self, ranks: Mapping[tuple[int, int], set[int]]) -> None:
        ranges = self._statistics.open_ranges(ranks)
        if ranges is None:
            return
        both = tuple(np.concatenate([one, np.full_like(one, np.nan)]) for one in ranges)
        found = self._work.total("looking for quantiles", _look, self._reader, both)
        for (group, column), asked in ranks.items():
            self._statistics.take(group, column, asked, found.columns[column])


def _edges_of(sample: pd.Series, shares: Sequence[float]) -> Values:
    own = sample.to_numpy(dtype=np.float64, na_value=np.nan)
    return edges_around([np.sort(own[~np.isnan(own)])] if shares else [], shares)


@dataclass(frozen=True, eq=False)
class _Counted:
    """Counts (any shape)."""

    counts: NDArray[np.int64]

    def __add__(self, other: "_Counted") -> "_Counted":
        return _Counted(self.counts + other.counts)


def _count(reader: Reader, edges: Edges, part: BlockPart) -> _Counted:
    counts = edges.counts(1)
    for block in reader.customers(part):
        codes = np.zeros(block.size, dtype=np.int32)
        count_between(block.raw, codes, 0, block.size, edges.values, edges.starts, counts)
    return _Counted(counts)


def _count_below(reader: Reader, values: Values, part: BlockPart) -> _Counted:
    counts = np.zeros(len(values), dtype=np.int64)
    for block in reader.customers(part):
        counts += (block.raw < values[:, None]).sum(axis=1)
    return _Counted(counts)


def _look(reader: Reader, ranges: tuple[Values, Values], part: BlockPart) -> ValuesInRanges:
    found = ValuesInRanges.nothing(len(reader.names))
    for block in reader.customers(part):
        found += ValuesInRanges.of(block.raw, np.zeros(block.size, dtype=np.int32), ranges)
    return found
