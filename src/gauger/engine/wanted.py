"""What is asked of k-means over files."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from gauger.columns import refuse_reserved_key
from gauger.errors import SettingError
from gauger.features import TreatmentSettings, refuse_strangers
from gauger.wording import listed

SAMPLE = 100_000
"""Customers of the sample that figures are drawn of and remarks are made of: judgement, enough for a segment of one in
a thousand to show."""


@dataclass(frozen=True, eq=False)
class Wanted:
    """The key, the other keyword arguments of `prepare`, the settings of k-means, and how large a sample is to be."""

    key: str
    preparation: Mapping[str, Any]
    starts: int = 10
    max_iterations: int = 300
    seed: int = 0
    sample: int = SAMPLE

    def __post_init__(self) -> None:
        least = {"starts": 1, "max_iterations": 1, "seed": 0, "sample": 1}
        for name, lowest in least.items():
            value = getattr(self, name)
            if isinstance(value, bool) or not isinstance(value, (int, np.integer)) or value < lowest:
                raise SettingError(f"{name}={value!r} must be a whole number from {lowest} up.")
        refuse_reserved_key(self.key)
        both = [*self.measures, *self.categories]
        if not both:
            raise SettingError("features is empty: name at least one column to segment by.")
        twice = sorted({name for name in both if both.count(name) > 1})
        if twice:
            raise SettingError(f"{listed(map(repr, twice))} is named twice: it would count double.")
        if self.key in both:
            raise SettingError(
                f"the key {self.key!r} cannot be a feature: it names customers and says nothing about them."
            )
        refuse_strangers("flag_missing", self.flag_missing, self.measures)

    @property
    def measures(self) -> tuple[str, ...]:
        """The columns that are features as they are."""
        return tuple(self.preparation.get("features") or ())

    @property
    def categories(self) -> tuple[str, ...]:
        """The columns whose levels are features."""
        return tuple(self.preparation.get("categories") or ())

    @property
    def flag_missing(self) -> tuple[str, ...]:
        """The measures whose gaps are a feature of their own."""
        return tuple(self.preparation.get("flag_missing") or ())

    def settings(self) -> TreatmentSettings:
        """The treatments asked for."""
        given = self.preparation
        return TreatmentSettings(
            given.get("missing", "refuse"),
            given.get("cap"),
            given.get("transform"),
            given.get("scale", "zscore"),
            given.get("weight"),
        )
