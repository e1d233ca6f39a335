"""Where k-means in a database begins: on a sample that stays there, drawn by hashes of keys."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from uuid import uuid4

import numpy as np
import pandas as pd

from gauger.algorithms import Stream
from gauger.algorithms.kmeans import iterate, steps_for
from gauger.clustering import refuse_too_few_distinct
from gauger.columns import Values
from gauger.features import DOUBLE, sql_number
from gauger.progress import task
from gauger.sources.databases.database_moments import moments_of
from gauger.sources.databases.database_samples import chance_below, chance_of
from gauger.sources.databases.database_sums import DatabaseSums, Points, nearest_of
from gauger.sources.databases.dialects import times_power
from gauger.sources.databases.table_customers import TableCustomers
from gauger.sources.execution import FEW
from gauger.sources.places import KMeansStart, Scaling, Starts
from gauger.tables import sql_name

_FIELD = 4_000
"""Customers of it that starts race on, as in memory (`benchmarks.kmeans_starts`)."""
_TRIAL_ITERATIONS = 8
"""Iterations of a race: judgement, for starts that are seeded with care."""
_MOST, _AGREEING, _ALIKE = 4, 3, 1.001
"""Starts raced for each one asked for, as in memory. Of tables larger than the sample it is enough once so many have
come to the best one's sum of squares, but for a thousandth: judgement."""
_FINISHED = 3
"""Starts that are finished on the whole sample: judgement."""
_FINISHING = 30
"""Iterations that those may take, for everyone's go on from there: judgement."""


@dataclass(frozen=True, eq=False)
class Sample:
    """Some customers on the working scale, in a table of this transaction: `id` from 1 in an order of chance. The first
    `field` of them are in a table of their own, too."""

    customers: TableCustomers
    scaling: Scaling
    table: str
    size: int
    field: int

    def table_of(self, most: int) -> str:
        """The table that the first of them are read from."""
        return sql_name(f"{self.table}_field" if most == self.field else self.table)

    def points(self, most: int) -> Points:
        """The first of them."""
        columns = ", ".join(self.customers.called)
        source = f"(SELECT {columns} FROM {self.table_of(most)}) AS sampled"
        return Points(self.customers.session, source, np.abs(self.scaling.ends).max(axis=1))

    def sums(self, most: int) -> DatabaseSums:
        """The first of them as k-means asks for them."""
        points = self.points(most)
        moments = moments_of(self.customers.session, points.source, points.columns, self.scaling.ends)
        spread = float(moments.known[0, 0] * (moments.deviations()[0] ** 2).sum())
        return DatabaseSums(points, (moments.means()[0], spread))


def start_in(customers: TableCustomers, scaling: Scaling, asked: Starts) -> KMeansStart:
    """The best of some starts on a sample, to go on from with everyone.

    Each start is seeded as k-means++ does (Arthur & Vassilvitskii 2007), of some candidates for each seed the one that
    leaves least; how many there are is drawn, too, as in memory. What customers are like is not told, but for means.
    """
    draws, count = Stream.STARTS_IN_A_DATABASE.generator(asked.seed), asked.count
    with _sampled(customers, scaling) as sample, task("starts of k-means", asked.starts) as advance:
        _with_distinct(sample, count)
        sums = sample.sums(sample.field)
        raced: dict[float, Values] = {}
        ends: list[float] = []
        while not _is_enough(ends, asked.starts, whole=scaling.survey.kept <= FEW):
            seeds = _seeds(sample, sample.field, count, draws)
            centres = _means_around(sample, sample.field, seeds)
            found = iterate(sums, centres, min(_TRIAL_ITERATIONS, asked.max_iterations))
            ends.append(round(found.history[-1][0], 9))
            raced.setdefault(ends[-1], found.centres)
            advance(1)
        best = sorted(raced)
        whole = sample.sums(sample.size)
        ended = [iterate(whole, raced[wcss], _FINISHING) for wcss in best[:_FINISHED]]
    table = pd.DataFrame({"seeding": "kmeans++", "trial_wcss": best}).rename_axis("start")
    table["iterations"] = pd.Series([len(one.history) for one in ended])
    table["wcss"] = pd.Series([one.history[-1][0] for one in ended])
    chosen = int(table["wcss"].argmin())
    points = Points(customers.session, customers.treated_by(scaling.treatments), np.abs(scaling.ends).max(axis=1))
    sums = DatabaseSums(points, (scaling.means, scaling.survey.kept * float((scaling.deviations**2).sum())))
    starts = table.assign(chosen=table.index == chosen)
    return KMeansStart(ended[chosen].centres, starts, sums, range(len(customers.names)), counts_moves=False)


def _is_enough(ends: Sequence[float], starts: int, *, whole: bool) -> bool:
    """Whether enough starts have been raced, by the sums of squares that they came to, on everyone or on a sample."""
    if whole or len(ends) < starts:
        return len(ends) >= _MOST * starts
    return len(ends) >= _MOST * starts or sum(one <= min(ends) * _ALIKE for one in ends) >= _AGREEING


@contextmanager
def _sampled(customers: TableCustomers, scaling: Scaling) -> Iterator[Sample]:
    """The sample, while it is needed."""
    dialect, columns = customers.dialect, ", ".join(customers.called)
    order = {"chance": chance_of(customers), "key": sql_name(customers.key)}
    source = customers.treated_by(scaling.treatments, order)
    below = chance_below(FEW, scaling.survey.kept)
    let_through = f" WHERE {below}" if below else ""
    numbered = f"SELECT row_number() OVER (ORDER BY chance, key) AS id, {columns} FROM {source}{let_through}"
    table = f"sample_{uuid4().hex[:12]}"
    select = f"SELECT id, {columns} FROM ({numbered}) AS numbered WHERE id <= {FEW}"
    customers.session.rows(dialect.temporary(table, select))
    (size,) = customers.session.row(f"SELECT COUNT(*) FROM {sql_name(table)}")
    sample = Sample(customers, scaling, table, int(size), min(_FIELD, int(size)))
    first = f"SELECT * FROM {sql_name(table)} WHERE id <= {sample.field}"
    customers.session.rows(dialect.temporary(f"{table}_field", first))
    yield sample
    for name in (table, f"{table}_field"):
        customers.session.rows(f"DROP TABLE {sql_name(name)}")


def _with_distinct(sample: Sample, count: int) -> None:
    """See to it that the sample has as many different customers as segments; raises where not even everyone has."""
    listed, session = ", ".join(sample.customers.called), sample.customers.session

    def distinct(source: str) -> int:
        (found,) = session.row(
            f"SELECT COUNT(*) FROM (SELECT DISTINCT {listed} FROM {source} LIMIT {count}) AS different"
        )
        return int(found)

    if distinct(sample.points(sample.field).source) >= count:
        return
    everyone = sample.customers.treated_by(sample.scaling.treatments)
    refuse_too_few_distinct(distinct(everyone), count)
    some = f"SELECT DISTINCT {listed} FROM {everyone} ORDER BY {listed} LIMIT {count}"
    own = f"SELECT -row_number() OVER (ORDER BY {listed}), {listed} FROM ({some}) AS different"
    for table in dict.fromkeys(map(sample.table_of, (sample.field, sample.size))):
        session.rows(f"INSERT INTO {table} {own}")


def _seeds(sample: Sample, most: int, count: int, draws: np.random.Generator) -> list[int]:
    """Seeds far from each other, by their ids."""
    candidates = int(draws.integers(1, 3 + int(np.log(count))))
    session = sample.customers.session
    (first,) = session.row(
        f"SELECT id FROM {sample.table_of(most)} ORDER BY id LIMIT 1 OFFSET {int(draws.integers(most))}"
    )
    seeds = [int(first)]
    while len(seeds) < count:
        drawn = _drawn(sample, most, seeds, draws.random(candidates).tolist())
        if len(seeds) + 1 < count and len(drawn) > 1:  # of the last one anything is left
            left = _left(sample, most, seeds, drawn)
            drawn = [drawn[left.index(min(left))]]
        seeds.append(drawn[0])
    return seeds


def _any_other(sample: Sample, most: int, seeds: Sequence[int]) -> list[int]:
    """One that is elsewhere than the seeds, for when all are as near as numbers can tell."""
    near = _least(sample, [_squares(sample, at) for at in range(1, len(seeds) + 1)])
    statement = f"SELECT MIN(id) FROM {_joined(sample, most, seeds)} WHERE {near} > 0"
    (found,) = sample.customers.session.row(statement)
    return [int(found)]


def _joined(sample: Sample, most: int, seeds: Sequence[int]) -> str:
    """The sample next to one row of the seeds, whose features are seed_1_1, seed_1_2 …"""
    d = len(sample.customers.names)
    columns = [
        f"MAX(CASE WHEN id = {one} THEN f{f} END) AS seed_{at}_{f}"
        for at, one in enumerate(seeds, 1)
        for f in range(1, d + 1)
    ]
    ids = ", ".join(map(str, seeds))
    own = f"SELECT {', '.join(columns)} FROM {sample.table_of(most)} WHERE id IN ({ids})"
    return f"{sample.table_of(most)} AS sampled CROSS JOIN ({own}) AS seeds"


def _squares(sample: Sample, at: int) -> str:
    """The squared distance to a seed of a join."""
    gaps = [f"(f{f} - seed_{at}_{f})" for f in range(1, len(sample.customers.names) + 1)]
    return " + ".join(f"{gap} * {gap}" for gap in gaps)


def _least(sample: Sample, squares: Sequence[str]) -> str:
    return squares[0] if len(squares) == 1 else f"{sample.customers.dialect.least}({', '.join(squares)})"


def _scaled(sample: Sample, square: str) -> str:
    """A squared distance in steps, of which the largest has 46 bits."""
    farthest = 4.0 * float((np.abs(sample.scaling.ends).max(axis=1) ** 2).sum())
    return times_power(square, int(steps_for(np.array([farthest]))[0]))


def _drawn(sample: Sample, most: int, seeds: Sequence[int], shares: Sequence[float]) -> list[int]:
    """Candidates drawn with a chance by their squared distance to the nearest seed: where its running sum passes a
    share of the whole."""
    dialect, session = sample.customers.dialect, sample.customers.session
    near = _least(sample, [_squares(sample, at) for at in range(1, len(seeds) + 1)])
    whole = f"{dialect.whole(_scaled(sample, f'({near})'))} AS apart"
    apart = dialect.select("near", ["id", whole], _joined(sample, most, seeds))
    running = f"SELECT id, SUM(apart) OVER (ORDER BY id ROWS UNBOUNDED PRECEDING) AS upto FROM {apart}"
    passed = f"CAST(upto AS {DOUBLE}) > {{}} * (SELECT CAST(MAX(upto) AS {DOUBLE}) FROM running)"
    asked = [f"MIN(CASE WHEN {passed.format(sql_number(share))} THEN id END)" for share in shares]
    found = session.row(f"WITH running AS ({running}) SELECT {', '.join(asked)} FROM running")
    return [int(one) for one in dict.fromkeys(found) if one is not None] or _any_other(sample, most, seeds)


def _left(sample: Sample, most: int, seeds: Sequence[int], candidates: Sequence[int]) -> list[int]:
    """The sum of squares that each candidate, added to the seeds, would leave, in whole steps."""
    dialect, session = sample.customers.dialect, sample.customers.session
    squares = [_squares(sample, at) for at in range(1, len(seeds) + len(candidates) + 1)]
    named = [f"{square} AS to_{at}" for at, square in enumerate(squares[len(seeds) :])]
    named.append(f"{_least(sample, squares[: len(seeds)])} AS nearest")
    select = dialect.select("near", named, _joined(sample, most, [*seeds, *candidates]))
    least = [f"{dialect.least}(nearest, to_{at})" for at in range(len(candidates))]
    asked = [dialect.whole_sum(_scaled(sample, one)) for one in least]
    return list(map(dialect.int_of, session.row(f"SELECT {', '.join(asked)} FROM {select}")))


def _means_around(sample: Sample, most: int, seeds: Sequence[int]) -> Values:
    """The means (k, d) of those nearest to each seed."""
    dialect, points = sample.customers.dialect, sample.points(most)
    named = [f"{_squares(sample, at)} AS apart_{at}" for at in range(1, len(seeds) + 1)]
    select = dialect.select("apart", [*points.columns, *named], _joined(sample, most, seeds))
    segment = nearest_of([f"apart_{at}" for at in range(1, len(seeds) + 1)])
    placed = dialect.select("placed", [*points.columns, f"{segment} AS segment"], select)
    weight, total = points.sums_by(placed, len(seeds))
    return total / weight[:, None]
