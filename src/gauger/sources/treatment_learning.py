"""Treatments of features, learned from everyone by sums and quantiles that their place works out."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd

from gauger.columns import Values
from gauger.errors import SettingError
from gauger.features import (
    NO_RANGE,
    NORMAL_QUARTILES,
    Cap,
    Fill,
    Indicator,
    Preparation,
    Recipe,
    Scale,
    Treatment,
    Weight,
    apply_all,
    learn_transform,
    learn_weight,
    level_indicators,
    refuse_shared_names,
)
from gauger.sources.exact_moments import SegmentMoments
from gauger.sources.feature_columns import FeatureColumns, Steps, on_each
from gauger.sources.places import Place, Quantiles, Scaling
from gauger.sources.surveys import Survey

_NEEDS_ALL_VALUES = {"scale": "rank", "transform": "power"}
"""What needs every value of a feature in order at once, or again and again."""
_INSTEAD = {"scale": "'robust' or 'zscore'", "transform": "'log' or 'signed_log'"}

QUARTILES = (0.25, 0.5, 0.75)
"""The shares that quartiles are at."""


def refuse_unlearnable(recipes: Mapping[str, Recipe], where: str) -> None:
    """Raise SettingError for treatments that need all values at once, which no place but memory has."""
    for name, recipe in recipes.items():
        for setting, word in _NEEDS_ALL_VALUES.items():
            if getattr(recipe, setting) == word:
                raise SettingError(
                    f"{setting}={word!r} of {name!r} cannot be learned {where}: it needs all values in order at "
                    f"once. Say {_INSTEAD[setting]}, or read the table into memory (read_table)."
                )


def dropped_by(recipes: Mapping[str, Recipe]) -> tuple[str, ...]:
    """The columns whose gaps leave a customer out."""
    return tuple(name for name, recipe in recipes.items() if recipe.missing == "drop")


def indicators_of(asked: Preparation, seen: Survey, recipes: Mapping[str, Recipe]) -> dict[str, Indicator]:
    """The features that say where a column has a gap or a level, by name."""
    found = {one.name: one for one in (Indicator(name, None) for name in asked.flagged)}
    for column in asked.levelled:
        levels = sorted(seen.levels[column], key=lambda level: level.order)
        found |= level_indicators(column, levels, recipes[column].weight or 1.0)
    refuse_shared_names(asked.measures, found)
    return found


def learn_scaling(
    place: Place,
    asked: Preparation,
    seen: Survey,
    recipes: Mapping[str, Recipe],
    sample: pd.DataFrame,
    guess: Mapping[str, Sequence[Treatment]],
) -> Scaling:
    """Learn every treatment from everyone; a sample of customers, and how it would be treated, says where to look."""
    indicators = indicators_of(asked, seen, recipes)
    of_indicators = asked.treatments.of_indicators(indicators, _shares_of(indicators, seen), recipes)
    columns = FeatureColumns(asked.key, asked.measures, indicators, dropped_by(recipes), seen.not_a_number)
    before = _before_scale(place, columns, recipes, seen, sample)
    steps: Steps = (
        *before.steps.values(),
        *(_indicator_steps(of_indicators[name], indicators[name], seen) for name in indicators),
    )
    ends = np.array(
        [ends_after(seen, at, before.steps[name]) for at, name in enumerate(asked.measures)]
        + [apply_all(own, np.array([0.0, 1.0])) for own in steps[len(asked.measures) :]]
    )
    scaled: Steps = tuple(
        tuple(step for step in guess.get(name, ()) if isinstance(step, (Scale, Weight)))
        if name in asked.measures
        else ()
        for name in columns.names
    )
    measured = place.measured(columns, steps, ends, seen, scaled, sample)
    steps = tuple(_counted(own, int(count)) for own, count in zip(steps, measured.capped, strict=True))
    scales = _scales_of(asked.measures, recipes, before, measured.moments)
    rest: Steps = tuple(scales.get(name, ()) for name in columns.names)
    factors = np.diff(on_each(rest, np.array([[0.0, 1.0]] * len(rest))))[:, 0]
    coreset = measured.coreset
    return Scaling(
        columns,
        tuple((*own, *more) for own, more in zip(steps, rest, strict=True)),
        seen,
        on_each(rest, ends),
        on_each(rest, measured.moments.means().T)[:, 0],
        np.abs(factors) * measured.moments.deviations()[0],
        None if coreset is None else (on_each(rest, coreset[0]), coreset[1]),
    )


@dataclass(frozen=True, eq=False)
class _BeforeScale:
    """What is known of measures before they are scaled: their steps, and the quantiles of those that need them."""

    steps: Mapping[str, tuple[Treatment, ...]]
    filled: Mapping[str, Quantiles]


def _before_scale(
    place: Place, columns: FeatureColumns, recipes: Mapping[str, Recipe], seen: Survey, sample: pd.DataFrame
) -> _BeforeScale:
    """Fill, cap and transform of each measure; how many values a cap pulls in is counted later."""
    gaps = {name: seen.kept_missing.get(name, 0) for name in columns.measures}
    both = {name: _shares_wanted(recipes[name]) for name in columns.measures}
    wanted = {name: shares_of_one for name, shares_of_one in both.items() if shares_of_one}
    medians = [name for name in columns.measures if recipes[name].missing == "median" and gaps[name]]
    shares = {name: (*wanted.get(name, ()), *((0.5,) if name in medians else ())) for name in {*wanted, *medians}}
    ordered = place.ordered(columns, seen, shares, sample) if shares else None
    middles = ordered.medians(medians) if ordered is not None and medians else {}
    means = _means(place, columns, seen, [name for name in gaps if gaps[name] and recipes[name].missing == "mean"])
    fills = {name: _fill(recipes[name].missing, gaps[name], middles.get(name, means.get(name))) for name in gaps}
    filled = ordered.filled({name: fills[name] for name in wanted}, wanted) if ordered is not None and wanted else {}
    steps = {}
    for at, name in enumerate(columns.measures):
        own: list[Treatment] = [fills[name]]
        cap = recipes[name].cap
        if cap is not None:
            low, high = (filled[name].quantile(float(share)) for share in cap)
            own.append(Cap(low, high, 0))
        transform = learn_transform(name, ends_after(seen, at, own), recipes[name].transform)
        steps[name] = (*own, *([transform] if transform is not None else []))
    return _BeforeScale(steps, filled)


def _shares_wanted(recipe: Recipe) -> tuple[float, ...]:
    """The shares whose quantiles a measure's cap and scale need."""
    return (*map(float, recipe.cap or ()), *(QUARTILES if recipe.scale == "robust" else ()))


def _means(place: Place, columns: FeatureColumns, seen: Survey, names: Sequence[str]) -> dict[str, float]:
    if not names:
        return {}
    found = place.means(columns, seen)
    return {name: float(found[columns.measures.index(name)]) for name in names}


def _fill(rule: str | float, gaps: int, learned: float | None) -> Fill:
    if rule in ("refuse", "drop"):
        return Fill(str(rule), None, 0)
    if not isinstance(rule, str):
        return Fill("given", float(rule), gaps)
    return Fill(rule, learned or 0.0, gaps)


def ends_after(seen: Survey, at: int, steps: Sequence[Treatment]) -> Values:
    """The smallest and the largest value of a measure after its steps, the first of which fills gaps."""
    own = [float(seen.lows[at]), float(seen.highs[at])]
    fill = steps[0]
    if isinstance(fill, Fill) and fill.filled and fill.value is not None:
        own.append(fill.value)
    return np.asarray(apply_all(steps[1:], np.array([min(own), max(own)])))


def _scales_of(
    measures: Sequence[str], recipes: Mapping[str, Recipe], before: _BeforeScale, moments: SegmentMoments
) -> dict[str, tuple[Treatment, ...]]:
    """Scale and weight of each measure, from the moments of what came of the steps before."""
    found = {}
    means, deviations = moments.means()[0], moments.deviations()[0]
    for at, name in enumerate(measures):
        recipe, low, span = recipes[name], float(moments.lows[0, at]), float(moments.spans[0, at])
        scale: Scale | None = None
        if recipe.scale != "none" and span < NO_RANGE:
            scale = Scale(recipe.scale, low, 1.0)
        elif recipe.scale == "minmax":
            scale = Scale("minmax", low, span)
        elif recipe.scale == "zscore":
            scale = Scale("zscore", float(means[at]), float(deviations[at]))
        elif recipe.scale == "robust":
            filled, steps = before.filled[name], before.steps[name][1:]
            lower, middle, upper = (filled.quantile(share, steps) for share in QUARTILES)
            wide = upper - lower >= NO_RANGE
            width = (upper - lower) / NORMAL_QUARTILES if wide else float(deviations[at])
            scale = Scale("robust", middle, width)
        own: list[Treatment | None] = [scale, learn_weight(recipe.weight)]
        found[name] = tuple(step for step in own if step is not None)
    return found


def _shares_of(indicators: Mapping[str, Indicator], seen: Survey) -> dict[str, float]:
    """How many have each of them, of those with a value."""
    found = {}
    for name, one in indicators.items():
        if one.level is None:
            found[name] = seen.kept_missing.get(one.column, 0) / seen.kept
        else:
            levels = seen.levels[one.column]
            found[name] = levels[one.level] / sum(levels.values())
    return found


def _indicator_steps(recipe: Recipe, indicator: Indicator, seen: Survey) -> tuple[Treatment, ...]:
    """The treatments of an indicator."""
    gaps = seen.kept_missing.get(indicator.column, 0) if indicator.level is not None else 0
    fill = Fill("zero", 0.0, gaps) if recipe.missing == "zero" else Fill(str(recipe.missing), None, 0)
    return (fill, *([Weight(recipe.weight)] if recipe.weight not in (None, 1.0) else []))


def _counted(steps: tuple[Treatment, ...], capped: int) -> tuple[Treatment, ...]:
    """The same, the cap with how many values it pulls in."""
    return tuple(Cap(step.low, step.high, capped) if isinstance(step, Cap) else step for step in steps)
