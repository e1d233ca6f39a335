"""Splits that a filter gives: customers who differ in one flag, one category or one value that many have."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.diagnostics import DEEP
from gauger.algorithms.statistics import Smoother, adjusted_rand, scaled_dip
from gauger.choosing.group_table import GroupTable
from gauger.features import FeatureSet
from gauger.remarks import Remark
from gauger.wording import first_up, listed, plain_number

_SAME = 0.8
"""The adjusted Rand index from which segments are those of a filter: judgement."""

_LEAST_ATOM = 0.05
"""The share of customers that one value must have to be worth a filter: judgement."""

Codes = NDArray[np.integer]


@dataclass(frozen=True, eq=False)
class Filter:
    """What tells customers apart without any segments: the places of a feature's columns, and each one's part (n,).

    `kind` is "levels" of a category, "values" of a flag or a measure that has a few, or one "value" that many have:
    then `row` is a customer, by place with the caller, who has it, and `share` how many do. What is `apart` would make
    a valley by itself.
    """

    places: tuple[int, ...]
    parts: Codes
    kind: str
    apart: bool
    row: int = -1
    share: float = 0.0

    def repeated_by(self, codes: Codes) -> bool:
        """Whether segments (n,) only repeat the parts."""
        return adjusted_rand(codes, self.parts) >= _SAME

    def in_words(self, features: FeatureSet, name: str) -> str:
        """What it tells apart, of the feature of that name."""
        if self.kind != "value":
            return f"the {self.kind} of {name}"
        return f"the {self.share:.0%} with {name} {plain_number(float(features.recorded(name)[self.row]))}"


@dataclass(frozen=True)
class Filters:
    """What filters tell apart, in words by feature.

    `.repeated` has also the count at which k-means only repeats it; `.others` no count repeats.
    """

    repeated: Mapping[str, tuple[int, str]] = field(default_factory=dict)
    others: Mapping[str, str] = field(default_factory=dict)

    def sentences(self) -> list[str]:
        """What to say of them: one sentence for each that is repeated, one for the others."""
        said = [
            f"Split in {count}, segments only repeat {words}: a filter on {name} does that, no segments are needed."
            for name, (count, words) in self.repeated.items()
        ]
        if self.others:
            words = first_up(listed(self.others.values(), most=4))
            said.append(f"{words} make no groups by themselves: a filter tells them apart.")
        return said

    def in_words(self) -> dict[str, str]:
        """All of them by feature."""
        return {name: words for name, (_, words) in self.repeated.items()} | dict(self.others)

    def remarks(self) -> tuple[Remark, ...]:
        """The sentences as remarks."""
        names = [(name,) for name in self.repeated] + [tuple(self.others)]
        return tuple(
            Remark("filter-would-do", text, features=own) for text, own in zip(self.sentences(), names, strict=False)
        )


NO_FILTERS = Filters()
"""Where nothing is told apart by a filter."""


def filters_among(
    table: GroupTable, segments: Mapping[int, Codes], features: FeatureSet, names: Sequence[str]
) -> Filters:
    """The filters on features, whose names are those of the table's columns, beside k-means segments (n,) by count."""
    repeated, others = {}, {}
    for one in filters_of(table):
        name = names[one.places[0]]
        words = one.in_words(features, name)
        counts = [count for count, codes in segments.items() if one.repeated_by(codes)]
        if counts:
            repeated[name] = counts[0], words
        elif one.apart:
            others[name] = words
    return Filters(repeated, others)


def filters_of(table: GroupTable) -> Iterator[Filter]:
    """A filter for each category, each measure of a few values, and each value that many customers share."""
    for places, levels in zip(table.categories, table.levels.T, strict=True):
        yield Filter(places, levels, "levels", apart=True)
    for place in table.places:
        values = table.values[:, place]
        smoother = Smoother.of(values)
        if smoother.scores and len(smoother.levels) > 1:
            yield Filter((place,), smoother.codes, "values", apart=len(smoother.levels) == 2)
        elif not smoother.scores and smoother.atoms.size:
            often = int(smoother.atoms[smoother.sizes[smoother.atoms].argmax()])
            share = float(smoother.sizes[often] / len(values))
            own = smoother.codes == often
            if share >= _LEAST_ATOM:
                row = int(table.rows[np.flatnonzero(own)[0]])
                yield Filter((place,), own.astype(np.intp), "value", scaled_dip(np.sort(values)) >= DEEP, row, share)
