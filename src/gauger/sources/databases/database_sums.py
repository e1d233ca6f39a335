"""Customers in a database as a source of sums: one statement, one scan, an iteration."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gauger.algorithms.kmeans import SegmentSums, WholeSums, begin_anew, steps_for
from gauger.columns import Values
from gauger.features import sql_less, sql_number
from gauger.sources.databases.dialects import Dialect, times_power
from gauger.tables import Row, Session


@dataclass(frozen=True, eq=False)
class Points:
    """Customers on the working scale, as a select to take f1, f2 … from; `largest` (d,) is how far values go."""

    session: Session
    source: str
    largest: Values

    @property
    def dialect(self) -> Dialect:
        """The words of the database."""
        return Dialect(self.session.dialect)

    @property
    def columns(self) -> list[str]:
        """What the features are called there."""
        return [f"f{at}" for at in range(1, len(self.largest) + 1)]

    @property
    def whole_sums(self) -> list[str]:
        """The exact sum of each feature."""
        steps = steps_for(self.largest).tolist()
        return [
            self.dialect.whole_sum(times_power(column, step)) for column, step in zip(self.columns, steps, strict=True)
        ]

    def sums_by(self, placed: str, count: int) -> tuple[Values, Values]:
        """Customers (k,) and sums (k, d) by the `segment`, from 0, that a select says."""
        rows = self.session.rows(
            f"SELECT segment, COUNT(*), {', '.join(self.whole_sums)} FROM {placed} GROUP BY segment"
        )
        return self._sums_of(rows, count)

    def _sums_of(self, rows: Sequence[Row], count: int) -> tuple[Values, Values]:
        weight, sums = np.zeros(count), [[0] * len(self.largest) for _ in range(count)]
        for segment, size, *own in rows:
            weight[int(segment)] = float(size)
            sums[int(segment)] = list(map(self.dialect.int_of, own))
        return weight, WholeSums.of_ints(sums).values(steps_for(self.largest))


class DatabaseSums:
    """Some points, as k-means asks for them.

    What changes segment is not counted, for that would take as long again as the sums do: `moved` is how many must
    have, by how sizes changed.
    """

    def __init__(self, points: Points, spread: tuple[Values, float]) -> None:
        self._points, self._spread = points, spread
        self._centres: Values | None = None
        self._last: SegmentSums | None = None

    def spread(self) -> tuple[Values, float]:
        return self._spread

    def sums_at(self, centres: Values) -> SegmentSums:
        if self._last is not None and self._centres is not None and np.array_equal(centres, self._centres):
            return SegmentSums(self._last.weight, self._last.total, 0)  # another look would see the same
        weight, total = self._points.sums_by(placed_at(self._points, centres), len(centres))
        before = None if self._last is None else self._last.weight
        moved = int(weight.sum()) if before is None else int(np.abs(weight - before).sum()) // 2
        if not weight.all():
            moved += begin_anew(centres, weight, total, self._farthest(centres, int((weight == 0.0).sum())))
        self._centres, self._last = centres, SegmentSums(weight, total, moved)
        return self._last

    def _farthest(self, centres: Values, most: int) -> Values:
        """Those (m, d) farthest from their centres, for segments that begin anew with them."""
        columns = self._points.columns
        squares = [square_to(columns, centre) for centre in centres]
        least = f"{self._points.dialect.least}({', '.join(squares)})" if len(squares) > 1 else squares[0]
        order = ", ".join(columns)
        select = f"SELECT DISTINCT {order}, {least} AS apart FROM {self._points.source}"
        rows = self._points.session.rows(f"{select} ORDER BY apart DESC, {order} LIMIT {most}")
        return np.array([row[:-1] for row in rows], dtype=np.float64)


def square_to(columns: Sequence[str], centre: Values) -> str:
    """The squared distance to a centre."""
    gaps = [f"({sql_less(column, value)})" for column, value in zip(columns, centre.tolist(), strict=True)]
    return " + ".join(f"{gap} * {gap}" for gap in gaps)


def placed_at(points: Points, centres: Values) -> str:
    """A select to take features and the `segment`, from 0, from: the nearest centre, ties to the lower number.

    |x - c|² less |x - c₁|² is linear in x, so that a centre takes a product a feature, and the first one none.
    """
    columns = points.columns
    shifts, slopes = (centres**2).sum(axis=1) - (centres[0] ** 2).sum(), -2.0 * (centres - centres[0])
    apart = [
        " + ".join([sql_number(shift), *(f"{sql_number(b)} * {f}" for b, f in zip(own, columns, strict=True))])
        for shift, own in zip(shifts[1:].tolist(), slopes[1:].tolist(), strict=True)
    ]
    named = [f"{told} AS apart_{at}" for at, told in enumerate(apart, 1)]
    source = points.dialect.select("apart", [*columns, *named], points.source) if named else points.source
    nearest = nearest_of(["0e0", *(f"apart_{at}" for at in range(1, len(centres)))])
    return points.dialect.select("placed", [*columns, f"{nearest} AS segment"], source)


def nearest_of(apart: Sequence[str]) -> str:
    """The number, from 0, of the least of some expressions, ties to the lower one."""
    cases = []
    for own, value in enumerate(apart[:-1]):
        tests = [f"{value} <= {other}" for at, other in enumerate(apart) if at != own]
        cases.append(f"WHEN {' AND '.join(tests)} THEN {own}")
    return f"CASE {' '.join(cases)} ELSE {len(apart) - 1} END" if cases else "0"
