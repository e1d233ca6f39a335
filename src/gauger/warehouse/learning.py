"""Treatments learned from everyone in a database, by sums and quantiles."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from gauger.algorithms.kmeans import WholeSums, square_steps_for, steps_for
from gauger.columns import Values
from gauger.engine import (
    BeforeScale,
    Moments,
    Steps,
    Survey,
    Wanted,
    counted,
    dropped_by,
    ends_of,
    indicator_steps,
    indicators_of,
    on_each,
    quantiles_wanted,
    refuse_unlearnable,
    scales_of,
    shares_of,
)
from gauger.features import Cap, Fill, Recipe, Treatment, apply_all, learn_transform, sql_less, sql_number
from gauger.progress import task
from gauger.tables import Session
from gauger.warehouse.customers import Customers
from gauger.warehouse.dialects import times_power
from gauger.warehouse.order_statistics import quantiles_of
from gauger.warehouse.survey import survey_table


@dataclass(frozen=True, eq=False)
class Learned:
    """What was learned of features: who the customers are, what is known of all, and every feature's treatments.

    `ends` (d, 2) are the smallest and largest values on the working scale, `means` and `deviations` (d,) are there too.
    """

    customers: Customers
    wanted: Wanted
    recipes: Mapping[str, Recipe]
    survey: Survey
    treatments: Steps
    ends: Values
    means: Values
    deviations: Values

    @property
    def names(self) -> tuple[str, ...]:
        """The features."""
        return self.customers.names


@dataclass(frozen=True, eq=False)
class _Treated:
    """The values of a measure in the database, whose quantiles it is asked for."""

    customers: Customers
    name: str
    steps: tuple[Treatment, ...]

    def quantile(self, share: float, steps: Sequence[Treatment] = ()) -> float:
        return float(quantiles_of(self.customers, self.name, (*self.steps, *steps), (share,))[0])


def learn(session: Session, table: str, wanted: Wanted) -> Learned:
    """Learn every treatment from everyone in a table."""
    settings = wanted.settings()
    recipes = settings.by_feature(wanted.measures, wanted.categories)
    refuse_unlearnable(recipes, "in a database")
    with task("learning features"):
        customers, seen = survey_table(session, table, wanted, recipes)
        indicators = indicators_of(wanted, seen, recipes)
        recipes |= settings.of_indicators(indicators, shares_of(indicators, seen), recipes)
        customers = replace(customers, indicators=indicators, dropped=dropped_by(recipes, wanted))
        before = _before_scale(customers, recipes, seen)
        of_indicators = {name: indicator_steps(recipes[name], indicators[name], seen) for name in indicators}
        steps: Steps = tuple({**before.steps, **of_indicators}.values())
        measured = [ends_after(seen, index, before.steps[name]) for index, name in enumerate(customers.measures)]
        ends = np.vstack([*measured, *(ends_of(own) for own in of_indicators.values())])
        moments, capped = _moments(customers, steps, ends)
        steps = tuple(counted(own, count) for own, count in zip(steps, capped, strict=True))
        scales = scales_of(customers.measures, recipes, before, moments)
    rest: Steps = tuple(scales.get(name, ()) for name in customers.names)
    factors = np.diff(on_each(rest, np.array([[0.0, 1.0]] * len(rest))))[:, 0]
    return Learned(
        customers,
        wanted,
        recipes,
        seen,
        tuple((*own, *more) for own, more in zip(steps, rest, strict=True)),
        on_each(rest, ends),
        on_each(rest, moments.means().T)[:, 0],
        np.abs(factors) * moments.deviations()[0],
    )


def _before_scale(customers: Customers, recipes: Mapping[str, Recipe], seen: Survey) -> BeforeScale:
    """Fill, cap and transform of each measure."""
    steps: dict[str, tuple[Treatment, ...]] = {}
    filled = {}
    for index, name in enumerate(customers.measures):
        recipe = recipes[name]
        fill = _fill(customers, name, recipe, seen)
        filled[name] = _Treated(customers, name, (fill,))
        own: list[Treatment] = [fill]
        if recipe.cap is not None:
            low, high = quantiles_of(customers, name, (fill,), [float(share) for share in recipe.cap])
            own.append(Cap(float(low), float(high), 0))
        transform = learn_transform(name, ends_after(seen, index, own), recipe.transform)
        steps[name] = (*own, *([transform] if transform is not None else []))
    return BeforeScale(steps, {name: one for name, one in filled.items() if quantiles_wanted(recipes[name])})


def _fill(customers: Customers, name: str, recipe: Recipe, seen: Survey) -> Fill:
    rule, gaps = recipe.missing, seen.kept_missing.get(name, 0)
    if rule in ("refuse", "drop"):
        return Fill(str(rule), None, 0)
    if not isinstance(rule, str):
        return Fill("given", float(rule), gaps)
    if not gaps or rule == "zero":
        return Fill(rule, 0.0, gaps)
    if rule == "median":
        return Fill(rule, float(quantiles_of(customers, name, (), (0.5,))[0]), gaps)
    index = customers.measures.index(name)
    moments, _ = _moments(replace(customers, measures=(name,), indicators={}), ((),), _range_of(seen, index))
    return Fill(rule, float(moments.means()[0, 0]), gaps)


def _range_of(seen: Survey, index: int) -> Values:
    return np.array([[seen.lows[index], seen.highs[index]]])


def ends_after(seen: Survey, index: int, steps: Sequence[Treatment]) -> Values:
    """The smallest and the largest value of a measure after its steps, the first of which fills gaps."""
    own = [float(seen.lows[index]), float(seen.highs[index])]
    fill = steps[0]
    if isinstance(fill, Fill) and fill.filled and fill.value is not None:
        own.append(fill.value)
    return np.asarray(apply_all(steps[1:], np.array([min(own), max(own)])))


def moments_in(
    customers: Customers,
    source: str,
    columns: Sequence[str],
    ends: Values,
    by: str | None = None,
    also: Sequence[str] = (),
) -> str:
    """The statement of exact moments of a source's columns between their ends (d, 2), perhaps by a group; what is asked
    `also` comes last."""
    dialect = customers.dialect
    lows, spans = ends[:, 0], np.nan_to_num(ends[:, 1] - ends[:, 0])
    asked = []
    for column, low, span in zip(columns, lows.tolist(), spans.tolist(), strict=True):
        gap = f"({sql_less(column, low)})"
        step, square = (int(steps(np.array([span]))[0]) for steps in (steps_for, square_steps_for))
        factors = times_power(gap, square // 2), times_power(gap, square - square // 2)
        asked += [
            f"COUNT({column})",
            dialect.whole_sum(times_power(gap, step)),
            dialect.whole_sum(" * ".join(f"({one})" for one in factors)),
        ]
    group = f"{by}, " if by else ""
    return f"SELECT {group}{', '.join([*asked, *also])} FROM {source}{f' GROUP BY {by}' if by else ''}"


def moments_of(customers: Customers, rows: Sequence[Sequence[object]], ends: Values) -> Moments:
    """The moments that a statement of them gave, a row a group."""
    dialect = customers.dialect
    known = np.array([[int(one) for one in row[::3]] for row in rows], dtype=np.int64)  # type: ignore[call-overload]
    sums, squares = (WholeSums.of_ints([[dialect.int_of(one) for one in row[at::3]] for row in rows]) for at in (1, 2))
    return Moments(ends[:, 0], np.nan_to_num(ends[:, 1] - ends[:, 0]), known, sums, squares)


def _moments(customers: Customers, steps: Steps, ends: Values) -> tuple[Moments, list[int]]:
    """Moments of everyone's features after some steps, and how many values each cap pulls in."""
    columns = [f"f{at}" for at in range(1, len(customers.names) + 1)]
    caps = {at: step for at, own in enumerate(steps, 1) for step in own if isinstance(step, Cap)}
    also = {f"raw_{at}": customers.raw[customers.names[at - 1]] for at in caps}
    source = customers.treated_by(steps, also)
    beyond = [
        f"COUNT(CASE WHEN raw_{at} < {sql_number(cap.low)} OR raw_{at} > {sql_number(cap.high)} THEN 1 END)"
        for at, cap in caps.items()
    ]
    row = customers.session.row(moments_in(customers, source, columns, ends, also=beyond))
    count = 3 * len(columns)
    capped = dict(zip(caps, map(int, row[count:]), strict=True))
    return moments_of(customers, [row[:count]], ends), [capped.get(at, 0) for at in range(1, len(columns) + 1)]
