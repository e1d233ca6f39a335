"""What is asked of features, as one value, checked before any table is looked at: wherever customers live."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from gauger.columns import refuse_reserved_key
from gauger.errors import SettingError
from gauger.features.columns import Indicator
from gauger.features.recipes import Quantiles, Recipe, TreatmentSettings, refuse_other_names
from gauger.wording import Noun, listed

_LONGEST_NOUN = 40
"""Letters of a noun, which stands in every title: chosen by us, so that a title still fits a figure."""


@dataclass(frozen=True)
class Preparation:
    """The settings of `prepare`, which says what each of them means."""

    key: str
    features: Sequence[str] | None = None
    categories: Sequence[str] | None = None
    missing: str | float | Mapping[str, str | float] = "refuse"
    flag_missing: Sequence[str] | None = None
    cap: Quantiles | Mapping[str, Quantiles] | None = None
    transform: str | Mapping[str, str] | None = None
    scale: str | Mapping[str, str] = "zscore"
    weight: float | Mapping[str, float] | None = None
    noun: str | None = None

    def __post_init__(self) -> None:
        for setting in ("features", "categories", "flag_missing"):
            given = getattr(self, setting)
            if isinstance(given, str):
                raise SettingError(f"{setting}={given!r} must be a list of names: {setting}=[{given!r}].")
            if given is not None or setting != "features":
                object.__setattr__(self, setting, tuple(given or ()))
        refuse_reserved_key(self.key)
        odd = [name for name in (self.key, *self.measures, *self.levelled) if not isinstance(name, str)]
        if odd:
            raise SettingError(f"a column is named by text, not by {odd[0]!r} ({type(odd[0]).__name__}).")
        if self.noun is not None and not (
            isinstance(self.noun, str) and self.noun.strip() and len(self.noun) <= _LONGEST_NOUN
        ):
            raise SettingError(
                f"noun={self.noun!r} must be a word for one of those who are segmented, such as 'house'."
            )
        if self.features is not None:
            self._refuse_bad_features()

    def _refuse_bad_features(self) -> None:
        both = [*self.measures, *self.levelled]
        if not both:
            raise SettingError("features is empty: name at least one column to segment by.")
        twice = sorted({name for name in both if both.count(name) > 1})
        if twice:
            raise SettingError(f"{listed(map(repr, twice))} is named twice: it would count double.")
        if self.key in both:
            raise SettingError(
                f"the key {self.key!r} cannot be a feature: it names customers and says nothing about them."
            )
        self.recipes()
        refuse_other_names("flag_missing", self.flagged, self.measures)

    @property
    def measures(self) -> tuple[str, ...]:
        """The columns that are features as they are; none while `features` is open."""
        return tuple(self.features or ())

    @property
    def levelled(self) -> tuple[str, ...]:
        """The columns whose levels are features."""
        return tuple(self.categories or ())

    @property
    def flagged(self) -> tuple[str, ...]:
        """The measures whose gaps are a feature of their own."""
        return tuple(self.flag_missing or ())

    @property
    def columns(self) -> tuple[str, ...]:
        """The columns that a table must have."""
        return (self.key, *self.measures, *self.levelled)

    @property
    def treatments(self) -> TreatmentSettings:
        """What is to be done to features."""
        return TreatmentSettings(self.missing, self.cap, self.transform, self.scale, self.weight)

    @property
    def who(self) -> Noun:
        """The word for whoever is segmented."""
        return Noun.given(self.noun, self.key)

    def with_features(self, numeric: Sequence[str]) -> "Preparation":
        """The same with the numeric columns of a table as features, where `features` is open."""
        if self.features is not None:
            return self
        chosen = [name for name in numeric if name != self.key and name not in self.levelled]
        if not chosen and not self.levelled:
            raise SettingError(f"the table has no numeric column besides {self.key!r}: there is nothing to segment by.")
        return replace(self, features=chosen)

    def recipes(self) -> dict[str, Recipe]:
        """The recipe of every measure and category; raises SettingError for unknown words and other columns."""
        return self.treatments.by_feature(self.measures, self.levelled)

    def settings(self) -> dict[str, Any]:
        """The keyword arguments of `prepare`."""
        return dict(vars(self))


def refuse_shared_names(names: Sequence[str], indicators: Mapping[str, Indicator]) -> None:
    """Raise SettingError where a measure and an indicator would both be called the same."""
    shared = [name for name in indicators if name in names]
    if shared:
        raise SettingError(f"a column and an indicator would both be called {shared[0]!r}. Rename the column.")


def refuse_category_rule(name: str, rule: object, gaps: int) -> None:
    """Raise SettingError for a rule about gaps that a category cannot have."""
    if gaps and rule not in ("drop", "zero"):
        raise SettingError(
            f"missing={rule!r} is not possible for the category {name!r}, which lacks a value for {gaps:,} customers. "
            f"Say missing={{{name!r}: 'zero'}} for no level, or 'drop'."
        )
