"""What is to be done to each feature, worked out from settings that speak of all or of some."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from numbers import Real
from typing import TypeVar

import numpy as np

from gauger.errors import SettingError
from gauger.features.columns import Indicator
from gauger.features.transforms import TRANSFORMS
from gauger.features.treatments import MISSING_RULES, SCALES
from gauger.wording import listed

Quantiles = tuple[float, float]
Rule = TypeVar("Rule")


@dataclass(frozen=True)
class Recipe:
    """The steps for one feature; of a category `scale` says how far apart its levels are."""

    missing: str | float = "refuse"
    cap: Quantiles | None = None
    transform: str | None = None
    scale: str = "zscore"
    weight: float | None = None


@dataclass(frozen=True)
class TreatmentSettings:
    """The settings of `prepare`, each for all features or by feature."""

    missing: str | float | Mapping[str, str | float]
    cap: Quantiles | Mapping[str, Quantiles] | None
    transform: str | Mapping[str, str] | None
    scale: str | Mapping[str, str]
    weight: float | Mapping[str, float] | None

    def by_feature(self, names: Sequence[str], categories: Sequence[str]) -> dict[str, Recipe]:
        """The recipe of every measure and category; raises SettingError for unknown words and other columns."""
        both = [*names, *categories]
        missing: dict[str, str | float] = _spread("missing", self.missing, "refuse", both)
        transforms: dict[str, str | None] = _spread("transform", self.transform, None, names)
        scales: dict[str, str] = _spread("scale", self.scale, "zscore", both)
        caps: dict[str, Quantiles | None] = _spread("cap", self.cap, None, names)
        weights: dict[str, float | None] = _spread("weight", self.weight, None, both)
        for name in both:
            if isinstance(missing[name], str):
                _refuse_word("missing", missing[name], MISSING_RULES)
            else:
                _refuse_number("missing", missing[name], above=-np.inf)
            if weights[name] is not None:
                _refuse_number("weight", weights[name], above=0.0)
            _refuse_word("scale", scales[name], SCALES)
        for name in names:
            _refuse_word("transform", transforms[name] or "none", TRANSFORMS)
            _refuse_bad_cap(caps[name])
        recipes = {
            name: Recipe(missing[name], caps[name], transforms[name], scales[name], weights[name]) for name in names
        }
        return recipes | {name: Recipe(missing[name], scale=scales[name], weight=weights[name]) for name in categories}

    def of_indicators(
        self, indicators: Mapping[str, Indicator], shares: Mapping[str, float], recipes: Mapping[str, Recipe]
    ) -> dict[str, Recipe]:
        """Indicators are not scaled; those of levels are weighted, so that a category counts as much as one measure.

        `shares` are those of the customers with a value who have the level.
        """
        widths: dict[str, float] = {}
        for name, indicator in indicators.items():
            share = shares[name]
            widths[indicator.column] = widths.get(indicator.column, 0.0) + share * (1.0 - share)
        found = {}
        for name, indicator in indicators.items():
            if indicator.level is None:
                found[name] = Recipe(missing="zero", scale="none")
                continue
            column = recipes[indicator.column]
            spread = widths[indicator.column] if column.scale in ("zscore", "robust") else 2.0
            weight = (column.weight or 1.0) / (np.sqrt(spread) if spread > 0.0 else 1.0)
            missing = column.missing if column.missing in ("drop", "zero") else "refuse"
            found[name] = Recipe(missing=missing, scale="none", weight=weight)
        return found


def refuse_other_names(setting: str, named: Iterable[str], names: Sequence[str]) -> None:
    """Raise SettingError when a setting names what is not among the features."""
    strangers = [name for name in named if name not in names]
    if strangers:
        raise SettingError(f"{setting} speaks of {listed(map(repr, strangers))}, not among the features {list(names)}.")


def _spread(setting: str, given: Rule | Mapping[str, Rule], default: Rule, names: Sequence[str]) -> dict[str, Rule]:
    if not isinstance(given, Mapping):
        return dict.fromkeys(names, given)
    refuse_other_names(setting, given, names)
    return {**dict.fromkeys(names, default), **given}


def _refuse_word(setting: str, word: object, allowed: Sequence[str]) -> None:
    if word not in allowed:
        raise SettingError.not_one_of(setting, word, allowed)


def _refuse_bad_cap(cap: object) -> None:
    if cap is None:
        return
    try:
        low, high = (float(quantile) for quantile in cap)  # type: ignore[attr-defined]
    except (TypeError, ValueError):
        low, high = 1.0, 0.0
    if not 0.0 <= low < high <= 1.0:
        raise SettingError(f"cap={cap!r} must be two quantiles with 0 <= low < high <= 1, such as (0.0, 0.99).")


def _refuse_number(setting: str, value: object, *, above: float) -> None:
    if isinstance(value, bool) or not isinstance(value, Real) or not above < float(value) < np.inf:
        limit = "a number above 0" if above == 0.0 else "a number"
        raise SettingError(f"{setting}={value!r} must be {limit}.")
