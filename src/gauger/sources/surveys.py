"""The first look at customers, wherever they live: how many, what they lack, from where to where, which levels."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from gauger.columns import KeyForm, Values
from gauger.errors import SettingError
from gauger.features import (
    Level,
    Preparation,
    Recipe,
    nobody_left,
    nobody_to_prepare,
    refuse_gaps,
)
from gauger.sources.bottom_rows import BottomRows

MOST_COUNTED = 1_000
"""Levels that are counted before a category is given up: far more than make sense."""


@dataclass(frozen=True, eq=False)
class Survey:
    """What was seen of some customers: `rows` read, `kept` of them without a gap that leaves them out.

    `missing` are gaps by column among all rows; `lows` and `highs` (d,) the ends of measures among those kept; `levels`
    how many of those kept have each level of a category; `check` a sum over the hashes of keys; `keys` how keys
    are written; `not_a_number` the measures that hold NaN next to gaps; `sample` the first by the hashes of their keys,
    where the first look has taken them along. `stamp` tells later whether somebody has written there meanwhile.
    """

    rows: int
    kept: int
    missing: Mapping[str, int]
    lows: Values
    highs: Values
    levels: Mapping[str, Mapping[Level, int]]
    kept_missing: Mapping[str, int]
    check: int = 0
    keys: KeyForm = KeyForm()  # noqa: RUF009 - frozen
    not_a_number: frozenset[str] = frozenset()
    sample: BottomRows | None = None
    stamp: object = None

    def __add__(self, other: "Survey") -> "Survey":
        return Survey(
            self.rows + other.rows,
            self.kept + other.kept,
            _added(self.missing, other.missing),
            np.fmin(self.lows, other.lows),
            np.fmax(self.highs, other.highs),
            {name: _added(self.levels[name], other.levels[name]) for name in self.levels},
            _added(self.kept_missing, other.kept_missing),
            (self.check + other.check) % 2**64,
            self.keys + other.keys,
            self.not_a_number | other.not_a_number,
            other.sample
            if self.sample is None
            else self.sample
            if other.sample is None
            else self.sample + other.sample,
        )

    def refuse_unfit(self, asked: Preparation, recipes: Mapping[str, Recipe]) -> None:
        """Raise for keys and gaps that will not do, and where nobody is left."""
        if not self.rows:
            raise nobody_to_prepare()
        self.keys.refuse_fractions(asked.key)
        refuse_gaps(self.missing, self.rows, recipes, asked.levelled)
        if not self.kept:
            raise nobody_left(self.missing)


def _added(one: Mapping[Any, int], other: Mapping[Any, int]) -> dict[Any, int]:
    return {name: one.get(name, 0) + other.get(name, 0) for name in {**one, **other}}


def refuse_many_levels(name: str, levels: int) -> None:
    """Raise SettingError for a category of more levels than are counted."""
    if levels > MOST_COUNTED:
        raise SettingError(
            f"{name!r} has more than {MOST_COUNTED:,} levels, too many to make sense as features. Group them into "
            "fewer, or leave the column out."
        )
