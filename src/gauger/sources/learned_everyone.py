"""What is learned of everyone where they live, and a sample of the customers that is treated as everyone is."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
import pandas as pd

from gauger.features import FeatureSet, Indicator, Preparation, Recipe, Treatment, prepare_table
from gauger.remarks import Remark
from gauger.sources.feature_columns import FeatureColumns, treated
from gauger.sources.places import Place, Scaling
from gauger.wording import Noun

_KNOWN_OF_ALL = ("customers-left-out", "columns-left-out", "tiny-segment", "not-converged", "keys-made-whole")
"""Codes of remarks that are made from what is known of everyone."""


class Workplace(Protocol):
    """What opens a place for work, and closes it."""

    def working(self) -> AbstractContextManager[Place]:
        """The place, while work is done there; work within work goes on in the same one."""


@dataclass(frozen=True, eq=False)
class Learned:
    """All customers of an open table, whose features were learned: how they are treated, a sample of their rows, how
    many were asked for, and whether all of them `fit` into memory, so that they are segmented as a table in memory
    is."""

    table: Workplace
    asked: Preparation
    scaling: Scaling
    sample_table: pd.DataFrame
    sampled: int | None
    fits: bool

    @property
    def customers(self) -> int:
        """How many there are, without those that gaps leave out."""
        return self.scaling.survey.kept

    @property
    def whole(self) -> bool:
        """Whether the sample is everyone."""
        return len(self.sample_table) == self.customers

    def in_memory(self, place: Place, features: FeatureSet) -> FeatureSet:
        """Everyone, where they fit: prepared as a table in memory is."""
        if self.whole:
            return replace(features, everyone=None)
        return prepare_table(place.few(self.asked, self.scaling.survey), self.asked)


def treated_alike(
    guess: FeatureSet,
    rows: pd.DataFrame,
    treatments: Mapping[str, Sequence[Treatment]],
    indicators: Mapping[str, Indicator],
) -> FeatureSet:
    """The customers of a table, prepared by themselves in `guess`, with what was learned from everyone instead."""
    measures = tuple(name for name in treatments if name not in indicators)
    columns = FeatureColumns(guess.key, measures, indicators)
    raw = columns.raw(rows)
    values = treated(raw, tuple(tuple(treatments[name]) for name in columns.names)).T
    values.flags.writeable = False
    return replace(
        guess,
        names=columns.names,
        values=values,
        original=pd.DataFrame(dict(zip(columns.names, raw, strict=True)), index=pd.Index(guess.keys, name=guess.key)),
        treatments={name: tuple(treatments[name]) for name in columns.names},
        indicators=dict(indicators),
    )


def nobody(
    key: str,
    treatments: Mapping[str, Sequence[Treatment]],
    indicators: Mapping[str, Indicator],
    recipes: Mapping[str, Recipe],
    noun: Noun,
) -> FeatureSet:
    """Features that were learned, of nobody who is at hand."""
    names = tuple(treatments)
    nothing = np.empty((0, len(names)))
    original = pd.DataFrame(nothing, columns=list(names), index=pd.Index([], name=key))
    own = {name: tuple(steps) for name, steps in treatments.items()}
    return FeatureSet(
        key, np.empty(0, dtype=object), names, nothing, original, own, dict(indicators), recipes=recipes, noun=noun
    )


def as_sample(features: FeatureSet) -> FeatureSet:
    """Features of a sample, whose customers are called so."""
    return replace(features, noun=features.noun.of_a_sample())


def of_sample(remarks: Iterable[Remark], sampled: int, customers: int, noun: Noun) -> Iterator[Remark]:
    """Remarks on a sample, each saying so where the sample is not everyone."""
    for remark in remarks:
        if remark.code in _KNOWN_OF_ALL:
            continue
        if sampled == customers:
            yield remark
        else:
            text = f"{remark.text} (Seen in a sample of {sampled:,} of {noun.counted(customers)}.)"
            yield replace(remark, text=text)
