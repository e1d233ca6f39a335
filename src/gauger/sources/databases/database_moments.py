"""Exact moments of columns in a database, of everyone or by segment, each within its own ends."""

from collections.abc import Sequence

import numpy as np

from gauger.algorithms.kmeans import WholeSums
from gauger.columns import Values
from gauger.features import Cap, sql_less, sql_number
from gauger.sources.databases.dialects import Dialect, times_power
from gauger.sources.databases.table_customers import TableCustomers
from gauger.sources.exact_moments import SegmentMoments
from gauger.sources.feature_columns import Steps
from gauger.sources.places import Measured
from gauger.tables import Session

_AT_ONCE = 60
"""Columns whose moments are asked for in one statement: far below what any database selects at once."""


def moments_of(session: Session, source: str, columns: Sequence[str], ends: Values) -> SegmentMoments:
    """The exact moments of a source's columns between their ends (d, 2), of everyone."""
    found = SegmentMoments.none(ends[:, 0][None, :], ends[:, 1][None, :])
    return _moments(session, source, columns, found, None)


def segment_moments(
    session: Session, source: str, columns: Sequence[str], count: int, *, first: int = 1
) -> SegmentMoments:
    """The exact moments of a source's columns by its `segment`, from `first`, each within its own ends."""
    asked = [f"{end}({column})" for column in columns for end in ("MIN", "MAX")]
    lows, highs = np.full((count, len(columns)), np.nan), np.full((count, len(columns)), np.nan)
    for number, *found in session.rows(f"SELECT segment, {', '.join(asked)} FROM {source} GROUP BY segment"):
        values = [np.nan if one is None else float(one) for one in found]
        lows[int(number) - first], highs[int(number) - first] = values[::2], values[1::2]
    return _moments(session, source, columns, SegmentMoments.none(lows, highs), first)


def _moments(
    session: Session, source: str, columns: Sequence[str], ends: SegmentMoments, first: int | None
) -> SegmentMoments:
    """The moments of columns whose ends are known, by segment where segments are numbered from `first`."""
    dialect, shape = Dialect(session.dialect), ends.known.shape
    known = np.zeros(shape, dtype=np.int64)
    sums, squares = ([[0] * shape[1] for _ in range(shape[0])] for _ in range(2))
    for start in range(0, len(columns), _AT_ONCE):
        some = range(start, min(start + _AT_ONCE, len(columns)))
        asked = [one for at in some for one in _asked(dialect, columns[at], ends, at, first)]
        group = ("segment, ", " GROUP BY segment") if first is not None else ("", "")
        for row in session.rows(f"SELECT {group[0]}{', '.join(asked)} FROM {source}{group[1]}"):
            segment, found = (0, row) if first is None else (int(row[0]) - first, row[1:])
            for place, at in enumerate(some):
                size, total, square = found[3 * place : 3 * place + 3]
                known[segment, at] = int(size)
                sums[segment][at], squares[segment][at] = dialect.int_of(total), dialect.int_of(square)
    return SegmentMoments(ends.lows, ends.spans, known, WholeSums.of_ints(sums), WholeSums.of_ints(squares))


def _asked(dialect: Dialect, column: str, ends: SegmentMoments, at: int, first: int | None) -> list[str]:
    """How many values a column has, their sum, and that of their squares."""
    lows, steps, squares = ends.lows[:, at], ends.steps[:, at].tolist(), ends.square_steps[:, at].tolist()

    def gap(segment: int) -> str:
        return f"({sql_less(column, float(lows[segment]))})"

    def square(segment: int) -> str:
        half = squares[segment] // 2
        one, other = (times_power(gap(segment), part) for part in (half, squares[segment] - half))
        return f"({one}) * ({other})"

    own = range(len(lows))
    sums = [times_power(gap(segment), steps[segment]) for segment in own]
    whole = [dialect.whole_sum(_by_segment(told, first)) for told in (sums, [square(segment) for segment in own])]
    return [f"COUNT({column})", *whole]


def _by_segment(told: Sequence[str], first: int | None) -> str:
    if first is None or len(set(told)) == 1:
        return told[0]
    return f"CASE segment {' '.join(f'WHEN {at} THEN {one}' for at, one in enumerate(told, first))} END"


def measured_in(customers: TableCustomers, steps: Steps, ends: Values) -> Measured:
    """Moments of everyone's features after some steps, and how many values each cap pulls in."""
    caps = {at: step for at, own in enumerate(steps) for step in own if isinstance(step, Cap)}
    source = customers.treated_by(steps)
    moments = moments_of(customers.session, source, customers.called, ends)
    capped = np.zeros(len(steps), dtype=np.int64)
    if caps:
        raw = [customers.raw[customers.names[at]] for at in caps]
        beyond = [
            f"COUNT(CASE WHEN {one} < {sql_number(cap.low)} OR {one} > {sql_number(cap.high)} THEN 1 END)"
            for one, cap in zip(raw, caps.values(), strict=True)
        ]
        capped[list(caps)] = list(
            map(int, customers.session.row(f"SELECT {', '.join(beyond)} FROM {customers.source}"))
        )
    return Measured(moments, capped)
