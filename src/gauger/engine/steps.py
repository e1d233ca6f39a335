"""What is learned of features from what is known of everyone: whom gaps leave out, indicators of levels, scales."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from gauger.columns import Values
from gauger.engine.moments import Moments
from gauger.engine.reading import Steps
from gauger.engine.survey import Survey
from gauger.engine.wanted import Wanted
from gauger.errors import SettingError
from gauger.features import (
    NO_RANGE,
    NORMAL_QUARTILES,
    Cap,
    Fill,
    Indicator,
    Recipe,
    Scale,
    Treatment,
    Weight,
    apply_all,
    learn_weight,
    level_indicators,
)

_NEEDS_ALL_VALUES = {"scale": "rank", "transform": "power"}
"""What needs every value of a feature in order at once, or again and again."""
_INSTEAD = {"scale": "'robust' or 'zscore'", "transform": "'log' or 'signed_log'"}


def refuse_unlearnable(recipes: Mapping[str, Recipe], where: str = "by blocks") -> None:
    """Raise SettingError for treatments that need all values at once, which there are nowhere."""
    for name, recipe in recipes.items():
        for setting, word in _NEEDS_ALL_VALUES.items():
            if getattr(recipe, setting) == word:
                raise SettingError(
                    f"{setting}={word!r} of {name!r} cannot be learned {where}: it needs all values in order at "
                    f"once. Say {_INSTEAD[setting]}, or segment a table that memory holds."
                )


QUARTILES = (0.25, 0.5, 0.75)
"""The shares that quartiles are at."""


class Quantiles(Protocol):
    """The values of a measure, filled: what a share of them is below."""

    def quantile(self, share: float, steps: Sequence[Treatment] = ()) -> float:
        """A quantile of the values after some steps, none of which changes their order."""


@dataclass(frozen=True, eq=False)
class BeforeScale:
    """What is known of measures before they are scaled: their steps, by name, and those that need order statistics."""

    steps: Mapping[str, tuple[Treatment, ...]]
    filled: Mapping[str, Quantiles]


def quantiles_wanted(recipe: Recipe) -> tuple[float, ...]:
    """The shares whose quantiles a measure's cap and scale need."""
    return (*(recipe.cap or ()), *(QUARTILES if recipe.scale == "robust" else ()))


def scales_of(
    measures: Sequence[str], recipes: Mapping[str, Recipe], before: BeforeScale, moments: Moments
) -> dict[str, tuple[Treatment, ...]]:
    """Scale and weight of each measure, from the moments of what came of the steps before."""
    found = {}
    means, deviations = moments.means()[0], moments.deviations()[0]
    for index, name in enumerate(measures):
        recipe, low, span = recipes[name], float(moments.lows[index]), float(moments.spans[index])
        scale: Scale | None = None
        if recipe.scale != "none" and span < NO_RANGE:
            scale = Scale(recipe.scale, low, 1.0)
        elif recipe.scale == "minmax":
            scale = Scale("minmax", low, span)
        elif recipe.scale == "zscore":
            scale = Scale("zscore", float(means[index]), float(deviations[index]))
        elif recipe.scale == "robust":
            filled, steps = before.filled[name], before.steps[name][1:]
            lower, middle, upper = (filled.quantile(share, steps) for share in QUARTILES)
            wide = upper - lower >= NO_RANGE
            width = (upper - lower) / NORMAL_QUARTILES if wide else float(deviations[index])
            scale = Scale("robust", middle, width)
        own: list[Treatment | None] = [scale, learn_weight(recipe.weight)]
        found[name] = tuple(step for step in own if step is not None)
    return found


def dropped_by(recipes: Mapping[str, Recipe], wanted: Wanted) -> tuple[str, ...]:
    """The columns whose gaps leave a customer out."""
    return tuple(name for name in (*wanted.measures, *wanted.categories) if recipes[name].missing == "drop")


def indicators_of(wanted: Wanted, seen: Survey, recipes: Mapping[str, Recipe]) -> dict[str, Indicator]:
    """The features that say where a column has a gap or a level, by name."""
    found = {one.name: one for one in (Indicator(name, None) for name in wanted.flag_missing)}
    for column in wanted.categories:
        levels = sorted(seen.levels[column], key=lambda level: level.order)
        found |= level_indicators(column, levels, recipes[column].weight or 1.0)
    return found


def shares_of(indicators: Mapping[str, Indicator], seen: Survey) -> dict[str, float]:
    """How many have each of them, of those with a value."""
    found = {}
    for name, one in indicators.items():
        if one.level is None:
            found[name] = seen.kept_missing.get(one.column, 0) / seen.kept
        else:
            levels = seen.levels[one.column]
            found[name] = levels[one.level] / sum(levels.values())
    return found


def indicator_steps(recipe: Recipe, indicator: Indicator, seen: Survey) -> tuple[Treatment, ...]:
    """The treatments of an indicator."""
    gaps = seen.kept_missing.get(indicator.column, 0) if indicator.level is not None else 0
    fill = Fill("zero", 0.0, gaps) if recipe.missing == "zero" else Fill(str(recipe.missing), None, 0)
    return (fill, *([Weight(recipe.weight)] if recipe.weight not in (None, 1.0) else []))


def ends_of(steps: tuple[Treatment, ...]) -> Values:
    """The two values of an indicator after its steps."""
    return np.asarray(apply_all(steps, np.array([0.0, 1.0])))


def counted(steps: tuple[Treatment, ...], capped: int) -> tuple[Treatment, ...]:
    """The same, the cap with how many values it pulls in."""
    return tuple(replace(step, capped=capped) if isinstance(step, Cap) else step for step in steps)


def on_each(steps: Steps, rows: Values) -> Values:
    """Values of each feature (d, …) after its steps."""
    return np.array([apply_all(own, row) for own, row in zip(steps, rows, strict=True)])
