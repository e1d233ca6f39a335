"""Categories, flags and dates by segment: who is over-represented where, and since when."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms.statistics import contingency_table

MOST_LEVELS, OTHER_LEVELS = 12, "(other)"
"""Levels of a category that a profile shows; the others together have one name."""

_TOLD_BY_SEGMENT = 3
"""Over-represented levels that each segment brings in."""

_LEAST_CUSTOMERS = 5
"""Customers below whom a level is not called over-represented: judgement."""

_YES = frozenset({"1", "y", "yes", "true", "t", "1.0"})

Counts = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Levels:
    """One category: how many customers of each group (columns, the unassigned first) have each of its `names` (rows).

    `told` are the places of the levels that a profile shows: all of a few, of many the most over-represented, of a flag
    the yes. `ordered` is whether they stand in an order of their own.
    """

    names: list[str]
    counts: Counts
    told: list[int]
    ordered: bool = False

    @property
    def known(self) -> Counts:
        """How many customers of each group, and of everyone, have a value (groups + 1,)."""
        by_group = self.counts.sum(axis=0)
        return np.append(by_group, by_group.sum())

    def rows(self) -> Iterator[tuple[str, NDArray[np.float64]]]:
        """Each level that is told, and the share (groups + 1,) of each group, and of everyone, that has it."""
        table = np.column_stack([self.counts, self.counts.sum(axis=1)])
        with np.errstate(invalid="ignore"):
            shares = table / table.sum(axis=0)
        for index in self.told:
            yield self.names[index], shares[index]
        rest = [index for index in range(len(self.names)) if index not in self.told]
        if rest and len(self.told) > 1:
            yield OTHER_LEVELS, shares[rest].sum(axis=0)


def levels_by_group(
    column: pd.Series,
    codes: NDArray[np.integer],
    segments: int,
    *,
    flag: bool,
    steps: bool,
    order: Sequence[object] | None = None,
) -> Levels:
    """The levels of a category by group; most frequent first, those of a scale (`steps`) or an `order` in theirs.

    Customers without a value are left out; levels that the order does not name come last.
    """
    present = column.notna().to_numpy()
    values = column[present]
    if isinstance(values.dtype, pd.CategoricalDtype):
        values = values.astype(object)
    index, found = pd.factorize(values, sort=True)
    counts = contingency_table(index, codes[present], (len(found), segments + 1))
    return levels_of_counts(found.tolist(), counts, flag=flag, steps=steps, order=order)


def levels_of_counts(
    found: Sequence[object],
    counts: Counts,
    *,
    flag: bool,
    steps: bool,
    order: Sequence[object] | None = None,
) -> Levels:
    """The same from the levels, ascending, and how many customers of each group (columns) have each (rows)."""
    names = [_word(level) for level in found]
    if order is not None:
        place = {str(level): at for at, level in enumerate(order)}
        arranged = sorted(range(len(found)), key=lambda at: place.get(str(found[at]), len(place)))
        counts, names = counts[arranged], [names[at] for at in arranged]
        steps = True
    if not steps:
        frequent = np.argsort(-counts.sum(axis=1), kind="stable")
        counts, names = counts[frequent], [names[index] for index in frequent]
    told = list(range(len(names)))
    if flag:
        told = [index for index, name in enumerate(names) if name.lower() in _YES] or told[-1:]
    elif len(names) > MOST_LEVELS:
        told = _over_represented(counts)
    return Levels(names, counts, told, steps)


def _word(level: object) -> str:
    return f"{level:g}" if isinstance(level, float) else str(level)


def _over_represented(counts: Counts) -> list[int]:
    """The levels that are most over-represented in some segment, three of each at most, by standard errors."""
    totals, sizes = counts.sum(axis=1), counts.sum(axis=0)
    share = totals / totals.sum()
    expected = np.outer(share, sizes)
    with np.errstate(invalid="ignore", divide="ignore"):
        surplus = np.nan_to_num((counts - expected) / np.sqrt(expected * (1.0 - share)[:, None]))
    surplus[counts < _LEAST_CUSTOMERS] = 0.0
    best = {
        int(level): float(surplus[level].max())
        for group in range(1, counts.shape[1])
        for level in np.argsort(-surplus[:, group], kind="stable")[:_TOLD_BY_SEGMENT]
        if surplus[level, group] > 0.0
    }
    chosen = sorted(best, key=lambda level: -best[level])[:MOST_LEVELS]
    return sorted(chosen)


def known_table(categories: Mapping[str, Levels], segments: int) -> pd.DataFrame:
    """How many customers have a value, by column: a column a group and one for everyone."""
    index = pd.Index(list(categories), name="column", dtype=object)
    rows = [levels.known for levels in categories.values()]
    return pd.DataFrame(rows, index=index, columns=range(segments + 2), dtype=np.int64)


def share_tables(categories: Mapping[str, Levels], segments: int) -> tuple[pd.DataFrame, pd.DataFrame]:
    """Shares by (column, level), a column a group and one for everyone; and the same with everyone = 100."""
    rows = [(name, level, shares) for name, levels in categories.items() for level, shares in levels.rows()]
    index = pd.MultiIndex.from_tuples([(name, level) for name, level, _ in rows], names=["column", "level"])
    shares = pd.DataFrame([own for *_, own in rows], index=index, columns=range(segments + 2))
    everyone = shares[segments + 1].to_numpy(dtype=np.float64)
    against = 100.0 * shares.to_numpy(dtype=np.float64) / np.where(everyone > 0.0, everyone, np.nan)[:, None]
    return shares, pd.DataFrame(against, index=index, columns=shares.columns)


def median_dates(dates: pd.DataFrame, codes: NDArray[np.integer], segments: int) -> pd.DataFrame:
    """The median day of each column of dates: a row a group, the unassigned first, and everyone last."""
    table = pd.DataFrame(index=range(segments + 2), columns=dates.columns, dtype="datetime64[ns]")
    for name in dates.columns:
        days = dates[name].dt.tz_localize(None)
        for group in range(segments + 1):
            table.loc[group, name] = days[codes == group].median()
        table.loc[segments + 1, name] = days.median()
    for name in table.columns:
        table[name] = table[name].dt.normalize()
    return table
