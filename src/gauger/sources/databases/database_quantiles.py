"""Exact quantiles of treated features in a database, of everyone or by group."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from gauger.algorithms.statistics import quantile_by
from gauger.columns import Values
from gauger.features import Fill, Treatment
from gauger.sources.databases.dialects import Dialect
from gauger.sources.databases.table_customers import TableCustomers
from gauger.tables import Session

Group = int | None


@dataclass(frozen=True, eq=False)
class _TreatedMeasure:
    """The values of a measure in the database, after some steps."""

    customers: TableCustomers
    name: str
    before: tuple[Treatment, ...]

    def quantile(self, share: float, steps: Sequence[Treatment] = ()) -> float:
        """A quantile of the values after further steps."""
        only = self.customers.of_one(self.name)
        source = only.treated({self.name: (*self.before, *steps)})
        return float(grouped_quantiles(only.session, source, ["f1"], (share,))[None][0, 0])


@dataclass(frozen=True, eq=False)
class OrderedColumns:
    """Measures in the database whose quantiles are asked for."""

    customers: TableCustomers

    def medians(self, names: Sequence[str]) -> dict[str, float]:
        return {name: _TreatedMeasure(self.customers, name, ()).quantile(0.5) for name in names}

    def filled(self, fills: Mapping[str, Fill], shares: Mapping[str, Sequence[float]]) -> dict[str, _TreatedMeasure]:
        del shares
        return {name: _TreatedMeasure(self.customers, name, (fill,)) for name, fill in fills.items()}


def grouped_quantiles(
    session: Session, source: str, columns: Sequence[str], shares: Sequence[float], by: str | None = None
) -> dict[Group, Values]:
    """The values (columns, shares) of columns below which shares lie, by group; of everyone under None where there is
    no group; NaN where there are no values."""
    dialect = Dialect(session.dialect)
    if dialect.name == "sqlite":
        ranked = [_by_rank(session, source, column, shares, by) for column in columns]
        return {group: np.array([own[group] for own in ranked]) for group in ranked[0]}
    asked = ", ".join(dialect.quantiles(column, shares) for column in columns)
    rows = session.rows(f"SELECT {by or 'NULL'}, {asked} FROM {source}{f' GROUP BY {by}' if by else ''}")
    empty = [np.nan] * len(shares)
    return {
        _group(group): np.array([empty if one is None else one for one in found], dtype=np.float64)
        for group, *found in rows
    }


def _group(found: object) -> Group:
    return None if found is None else int(found)  # type: ignore[call-overload]


def _by_rank(
    session: Session, source: str, column: str, shares: Sequence[float], by: str | None
) -> dict[Group, Values]:
    """The same where there are no quantiles: values are numbered in order, and those at the ranks taken."""
    group = by or "NULL"
    counted = session.rows(f"SELECT {group}, COUNT({column}) FROM {source}{f' GROUP BY {by}' if by else ''}")
    sizes = {_group(own): int(count) for own, count in counted}
    tests = [
        f"({'1 = 1' if own is None else f'grouped = {own}'} AND place IN ({', '.join(_places(size, shares))}))"
        for own, size in sizes.items()
        if size
    ]
    parted = f"PARTITION BY {by} " if by else ""
    numbered = (
        f"SELECT {group} AS grouped, {column} AS value, row_number() OVER ({parted}ORDER BY {column}) AS place FROM "
        f"{source} WHERE {column} IS NOT NULL"
    )
    condition = " OR ".join(tests) or "1 = 0"
    rows = session.rows(f"SELECT grouped, place, value FROM ({numbered}) AS numbered WHERE {condition}")
    at_rank = {(_group(own), int(place) - 1): float(value) for own, place, value in rows}

    def quantiles(own: Group, size: int) -> Values:
        return np.array([quantile_by(lambda rank: at_rank[own, rank], size, share) for share in shares])

    return {own: quantiles(own, size) for own, size in sizes.items()}


def _places(size: int, shares: Sequence[float]) -> list[str]:
    """The places, from 1, of the values that shares lie between."""
    below = {int(share * (size - 1)) for share in shares}
    return [str(rank + 1) for rank in sorted(below | {min(rank + 1, size - 1) for rank in below})]
