"""What each column of a table in a database is like: counted there, asked for when it is needed."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

import numpy as np

from gauger.algorithms.kmeans import BITS
from gauger.columns import NumberTraits, are_flags, named_like_a_key, numbers_name_rows
from gauger.features import sql_less, sql_number
from gauger.sources.databases.dialects import Dialect
from gauger.sources.databases.relations import DATE, DECIMAL, FLOAT, MONEY, OTHER, TEXT, WHOLE, Relation
from gauger.tables import Session, sql_name

_CODE = r"^[A-Za-z0-9_\-]{1,36}$"
"""What keys of letters and digits look like."""


@dataclass(frozen=True)
class ColumnCounts:
    """Of a column: rows, values, and different ones."""

    rows: int
    present: int
    distinct: int


@dataclass(frozen=True, eq=False)
class ColumnTraits:
    """One column of a table, known by `counted` and by what is asked of the database when it is needed."""

    session: Session
    relation: Relation
    name: str
    counted: ColumnCounts

    @property
    def kind(self) -> str:
        """What it holds."""
        return self.relation.kinds[self.name]

    @property
    def dialect(self) -> Dialect:
        """The words of the database."""
        return Dialect(self.session.dialect)

    @property
    def number(self) -> str:
        """Its values as numbers, NULL where there is none."""
        return self.dialect.known(self.relation.number(self.name))

    @property
    def present(self) -> int:
        """How many rows have a value."""
        return self.counted.present

    @property
    def distinct(self) -> int:
        """How many different values there are."""
        return self.counted.distinct

    @property
    def missing(self) -> int:
        """How many rows have none."""
        return self.counted.rows - self.counted.present

    def _ask(self, *what: str, where: str = "") -> tuple[object, ...]:
        condition = f" WHERE {where}" if where else ""
        return self.session.row(f"SELECT {', '.join(what)} FROM {self.relation.sql}{condition}")

    @cached_property
    def any_value(self) -> object:
        """A value, of which there is one."""
        return self._ask(f"MIN(CAST({sql_name(self.name)} AS TEXT))")[0]

    @property
    def is_date(self) -> bool:
        """Whether values are dates."""
        return self.kind == DATE

    @cached_property
    def is_flag(self) -> bool:
        """Whether there are two values, yes and no."""
        if self.distinct != 2 or self.kind == DATE:
            return False
        text = f"CAST({sql_name(self.name)} AS TEXT)"
        return are_flags([str(one).removesuffix(".0") for one in self._ask(f"MIN({text})", f"MAX({text})")])

    @cached_property
    def is_identifier(self) -> bool:
        """Whether values name their rows: never missing, never repeated, and numbered, codes, or named like a key."""
        rows = self.counted.rows
        if rows < 3 or self.present < rows or self.distinct < rows or self.kind not in (WHOLE, TEXT):
            return False
        if named_like_a_key(self.name):
            return True
        name = sql_name(self.name)
        if self.kind == WHOLE:
            tens = f"SUM(CASE WHEN {name} % 10 = 0 THEN 1 ELSE 0 END)"
            low, high, round_ones = (int(str(one)) for one in self._ask(f"MIN({name})", f"MAX({name})", tens))
            return numbers_name_rows(self.name, rows, low, high, lambda: round_ones / rows)
        few = self.session.rows(f"SELECT CAST({name} AS TEXT) FROM {self.relation.sql} ORDER BY 1 LIMIT 1000")
        return all(re.fullmatch(_CODE, str(one)) and re.search(r"\d", str(one)) for (one,) in few)

    @property
    def is_fraction(self) -> bool:
        """Whether values are numbers of floating point."""
        return self.kind in (FLOAT, DECIMAL, MONEY)

    @cached_property
    def ends(self) -> tuple[float, float]:
        """The smallest and the largest of numbers."""
        low, high = self._ask(f"MIN({self.number})", f"MAX({self.number})")
        return (np.nan, np.nan) if low is None else (float(str(low)), float(str(high)))

    @cached_property
    def skew(self) -> float:
        """Skew of numbers, as `skewness` of the statistics in memory has it."""
        low, high = self.ends
        span = high - low
        if self.present < 3 or not 0.0 < span < np.inf:
            return np.nan
        gap = f"(({sql_less(self.number, low)}) / {sql_number(span)})"
        step = 2.0**BITS
        powers = (f"{gap} * {sql_number(step)}", f"{gap} * {gap} * {sql_number(step)}")
        third = f"{gap} * {gap} * {gap} * {sql_number(step)}"
        n, *sums = self._ask(f"COUNT({self.number})", *map(self.dialect.whole_sum, (*powers, third)))
        return skew_of(int(str(n)), [Fraction(self.dialect.int_of(one), 2**BITS) for one in sums])

    @property
    def numbers(self) -> NumberTraits | None:
        """What is known of numbers; None for what are none."""
        if self.kind not in (WHOLE, DECIMAL, FLOAT, MONEY):
            return None
        whole = self.kind == WHOLE
        return NumberTraits(whole, self.present, self.distinct, *self.ends, lambda: self.skew)


def skew_of(n: int, sums: Sequence[Fraction]) -> float:
    """The skew of n numbers from the exact sums of them, their squares and their cubes."""
    if n < 3:
        return np.nan
    mean, square, cube = (one / n for one in sums)
    spread = square - mean**2
    if spread <= 0:
        return np.nan
    third = cube - 3 * mean * square + 2 * mean**3
    return float(((n - 1.0) * n) ** 0.5 / (n - 2.0) * float(third) / float(spread) ** 1.5)


def traits_of(session: Session, relation: Relation) -> list[ColumnTraits]:
    """The traits of every column that holds single values, in order."""
    names = [name for name, kind in relation.kinds.items() if kind != OTHER]
    asked = []
    for name in names:
        value = sql_name(name)
        if relation.kinds[name] in (FLOAT, DECIMAL):
            value = Dialect(session.dialect).known(relation.number(name))
        asked += [f"COUNT({value})", f"COUNT(DISTINCT {value})"]
    rows, *counts = map(int, session.row(f"SELECT COUNT(*){''.join(f', {one}' for one in asked)} FROM {relation.sql}"))
    return [
        ColumnTraits(session, relation, name, ColumnCounts(rows, present, distinct))
        for name, present, distinct in zip(names, counts[::2], counts[1::2], strict=True)
    ]
