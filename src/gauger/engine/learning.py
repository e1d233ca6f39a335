"""Treatments learned from all customers of files: exact limits, quartiles and means, by a few passes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.statistics import Edges, OrderStatistics, count_between, edges_around, mark_between, quantile_by
from gauger.columns import Values
from gauger.engine.crews import Everyone
from gauger.engine.moments import Moments
from gauger.engine.parts import Part
from gauger.engine.reading import Reader
from gauger.engine.steps import BeforeScale, quantiles_wanted
from gauger.engine.survey import Survey
from gauger.features import (
    Cap,
    Fill,
    Recipe,
    Treatment,
    apply_all,
    learn_transform,
)


@dataclass(frozen=True, eq=False)
class Found:
    """Values of columns that lie in ranges looked for, with the groups they are of."""

    columns: tuple[Values, ...]
    codes: tuple[NDArray[np.int32], ...]

    @classmethod
    def nothing(cls, columns: int) -> "Found":
        """No values yet."""
        return cls((np.empty(0),) * columns, (np.empty(0, dtype=np.int32),) * columns)

    @classmethod
    def in_ranges(cls, columns: Values, codes: NDArray[np.int32], ranges: tuple[Values, Values]) -> "Found":
        """The values of some rows."""
        marks = np.zeros(columns.shape, dtype=np.bool_)
        mark_between(columns, codes, 0, columns.shape[1], *ranges, marks)
        return cls(
            tuple(column[mark] for column, mark in zip(columns, marks, strict=True)),
            tuple(codes[mark] for mark in marks),
        )

    def __add__(self, other: "Found") -> "Found":
        return Found(_joined(self.columns, other.columns), _joined(self.codes, other.codes))


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


@dataclass(frozen=True, eq=False)
class Learner:
    """Learns the treatments of measures; `sample` (d, m) are some customers' values in original units."""

    reader: Reader
    everyone: Everyone
    recipes: Mapping[str, Recipe]
    survey: Survey
    sample: Values

    def before_scale(self) -> BeforeScale:
        """Fill, cap and transform of each measure; how many values a cap pulls in is counted later."""
        fills, filled = self._limits(self._fills())
        found = {}
        for index, name in enumerate(self.reader.measures):
            recipe = self.recipes[name]
            steps: list[Treatment] = [fills[name]]
            if recipe.cap is not None:
                low, high = recipe.cap
                steps.append(Cap(filled[name].quantile(float(low)), filled[name].quantile(float(high)), 0))
            transform = learn_transform(name, apply_all(steps, self._ends(index, fills[name])), recipe.transform)
            found[name] = (*steps, *([transform] if transform is not None else []))
        return BeforeScale(found, filled)

    def _gaps(self, name: str) -> int:
        return self.survey.kept_missing.get(name, 0)

    def _ends(self, index: int, fill: Fill) -> Values:
        own = [self.survey.lows[index], self.survey.highs[index]]
        if fill.filled and fill.value is not None:
            own.append(fill.value)
        return np.array([min(own), max(own)])

    def ends(self, steps: Mapping[str, tuple[Treatment, ...]]) -> Values:
        """The smallest and the largest value of every measure after its steps (d, 2)."""
        found = np.empty((len(self.reader.measures), 2))
        for index, name in enumerate(self.reader.measures):
            fill = steps[name][0]
            assert isinstance(fill, Fill)
            found[index] = apply_all(steps[name][1:], self._ends(index, fill))
        return found

    def _fills(self) -> dict[str, Fill]:
        """What gaps become, but for medians, which are learned with the other order statistics."""
        measures = self.reader.measures
        means = np.zeros(len(measures))
        if any(self._gaps(name) and self.recipes[name].missing == "mean" for name in measures):
            reader = replace(self.reader, indicators={})
            moments = self.everyone.total("means", _moments_of, reader, self.survey.lows, self.survey.highs)
            means = moments.means()[0]
        found = {}
        for index, name in enumerate(measures):
            rule, gaps = self.recipes[name].missing, self._gaps(name)
            if rule in ("refuse", "drop"):
                found[name] = Fill(str(rule), None, 0)
            elif isinstance(rule, str):
                found[name] = Fill(rule, float(means[index]) if rule == "mean" else 0.0, gaps)
            else:
                found[name] = Fill("given", float(rule), gaps)
        return found

    def _limits(self, fills: dict[str, Fill]) -> tuple[dict[str, Fill], dict[str, _Filled]]:
        """Fills with the medians, and the measures that need order statistics with those they need."""
        measures = self.reader.measures
        wanted = {name: quantiles_wanted(self.recipes[name]) for name in measures}
        medians = {name for name in measures if self.recipes[name].missing == "median" and self._gaps(name)}
        if not medians and not any(wanted.values()):
            return fills, {}
        reader = replace(self.reader, indicators={})
        edges = Edges.of(
            [self._edges(index, wanted[name], fills[name], name in medians) for index, name in enumerate(measures)]
        )
        statistics = OrderStatistics(edges, self.everyone.total("counting for quantiles", _count, reader, edges).counts)
        places = {
            (0, index): statistics.ranks_of(0, index, (0.5,)) for index, name in enumerate(measures) if name in medians
        }
        self._resolve(reader, statistics, places)
        fills, filled = dict(fills), {}
        for index, name in enumerate(measures):
            gaps, before = self._gaps(name), 0
            if name in medians:
                fills[name] = Fill("median", statistics.quantile(0, index, 0.5), gaps)
                before = int(0.5 * (statistics.known(0, index) - 1)) + 1
            elif fills[name].value is not None and gaps:
                before = statistics.below(0, index, float(fills[name].value or 0.0))
            if wanted[name]:
                value = fills[name].value
                filled[name] = _Filled(statistics, index, 0 if value is None else gaps, value or 0.0, before)
        ranks = {(0, one.column): one.ranks(wanted[name]) for name, one in filled.items()}
        self._resolve(reader, statistics, ranks)
        return fills, filled

    def _edges(self, index: int, shares: tuple[float, ...], fill: Fill, median: bool) -> Values:
        asked = (*shares, *((0.5,) if median else ()))
        own = np.sort(self.sample[index][~np.isnan(self.sample[index])])
        return edges_around([own] if asked else [], asked, () if fill.value is None else (fill.value,))

    def _resolve(self, reader: Reader, statistics: OrderStatistics, ranks: Mapping[tuple[int, int], set[int]]) -> None:
        ranges = statistics.open_ranges(ranks)
        if ranges is None:
            return
        both = tuple(np.concatenate([one, np.full_like(one, np.nan)]) for one in ranges)
        found = self.everyone.total("looking for quantiles", _look, reader, both)
        for (group, column), asked in ranks.items():
            statistics.take(group, column, asked, found.columns[column])


@dataclass(frozen=True, eq=False)
class _Counted:
    """Counts between edges (1, e)."""

    counts: NDArray[np.int64]

    def __add__(self, other: "_Counted") -> "_Counted":
        return _Counted(self.counts + other.counts)


def _count(reader: Reader, edges: Edges, part: Part) -> _Counted:
    counts = edges.counts(1)
    for block in reader.customers(part):
        codes = np.zeros(block.size, dtype=np.int32)
        count_between(block.raw, codes, 0, block.size, edges.values, edges.starts, counts)
    return _Counted(counts)


def _look(reader: Reader, ranges: tuple[Values, Values], part: Part) -> Found:
    found = Found.nothing(len(reader.names))
    for block in reader.customers(part):
        found += Found.in_ranges(block.raw, np.zeros(block.size, dtype=np.int32), ranges)
    return found


def _moments_of(reader: Reader, lows: Values, highs: Values, part: Part) -> Moments:
    found = Moments.none(1, lows, highs)
    for block in reader.customers(part):
        found = found.with_block(block.raw, np.zeros(block.size, dtype=np.int32))
    return found
