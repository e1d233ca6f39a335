"""The customers that groups are looked for in: measures, and categories as wholes."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms import RowOrder, fixed_generator
from gauger.algorithms.statistics import HiddenRepeats, hidden_repeats
from gauger.features import FeatureSet

_MOST_DISTINCT, _LEAST_MIXED = 0.95, 0.80
"""With fewer distinct rows than the first share, where columns mixed at random would have the second: copies;
judgement, tried on `benchmarks.advice`."""

_ATOM_SHARE, _ATOM_SIZE = 0.01, 8
"""A value that fewer distinct customers have (a share, and a number) is no atom: judgement."""

SEEN_IN_FEATURES = ("euclidean", "squared_euclidean", "city_block", "chebyshev", "minkowski", "gower")
"""Metrics that are near where all features are near: groups are looked for in the features themselves."""

Values = NDArray[np.float64]
Rows = NDArray[np.intp]


@dataclass(frozen=True, eq=False)
class GroupTable:
    """Customers as `values` (n, d), and the places of the columns that are one category each.

    With `one_scale` columns keep their widths. `rows` (n,) are the customers' places with the caller.
    """

    values: Values
    rows: Rows
    categories: tuple[tuple[int, ...], ...] = ()
    one_scale: bool = False

    @property
    def places(self) -> list[int]:
        """The places of the measures: columns that are no category's."""
        taken = {place for places in self.categories for place in places}
        return [place for place in range(self.values.shape[1]) if place not in taken]

    @property
    def measures(self) -> Values:
        """The measures (n, m)."""
        return self.values[:, self.places]

    @property
    def levels(self) -> Rows:
        """Which level of each category each customer has (n, c)."""
        found = np.empty((len(self.values), len(self.categories)), dtype=np.intp)
        for index, places in enumerate(self.categories):
            found[:, index] = np.unique(self.values[:, places], axis=0, return_inverse=True)[1].ravel()
        return found

    @property
    def features(self) -> list[tuple[int, ...]]:
        """The places of each measure, then of each category."""
        return [*((place,) for place in self.places), *self.categories]

    def part(self, kept: Rows) -> "GroupTable":
        """Some of the customers."""
        return GroupTable(self.values[kept], self.rows[kept], self.categories, self.one_scale)

    def without(self, left_out: Sequence[int]) -> "GroupTable":
        """The customers without some columns."""
        kept = [place for place in range(self.values.shape[1]) if place not in set(left_out)]
        at = {place: index for index, place in enumerate(kept)}
        categories = tuple(tuple(at[place] for place in places) for places in self.categories if places[0] in at)
        return GroupTable(self.values[:, kept], self.rows, categories, self.one_scale)

    def scaled(self) -> Values:
        """The measures, then the columns of categories (n, d): each measure and each whole category of width 1."""
        centred = self.values - self.values.mean(axis=0)
        spread = centred.std(axis=0)
        for places in self.categories:
            spread[list(places)] = np.sqrt((spread[list(places)] ** 2).sum())
        if self.one_scale:
            spread[:] = np.sqrt((spread**2).mean())
        order = [place for places in self.features for place in places]
        return np.asarray((centred / np.where(spread > 0.0, spread, 1.0))[:, order])

    def level_positions(self) -> list[Values]:
        """For each category where its levels (l, columns) are on the scaled table."""
        scaled, levels, found, at = self.scaled(), self.levels, [], len(self.places)
        for index, places in enumerate(self.categories):
            first = np.unique(levels[:, index], return_index=True)[1]
            found.append(scaled[first, at : at + len(places)])
            at += len(places)
        return found

    def repeats(self) -> HiddenRepeats | None:
        """What rows repeat of hidden customers, as after a join with their orders; None where they do not."""
        return hidden_repeats(self.values, fixed_generator())

    def once_each(self) -> "GroupTable":
        """One row of each hidden customer that rows repeat."""
        found = self.repeats()
        return self if found is None else self.part(np.sort(np.unique(found.codes, return_index=True)[1]))

    def thinned(self, rng: np.random.Generator) -> "GroupTable":
        """Exact copies as one, where there are more of them than the features' own ties make.

        Rows that have a value in every feature which many distinct customers share, such as all zeros, stay as many as
        they are.
        """
        n = len(self.values)
        distinct, first, which = np.unique(self.values, axis=0, return_index=True, return_inverse=True)
        if len(first) >= _MOST_DISTINCT * n:
            return self
        mixed = np.empty_like(self.values)
        for places in self.features:
            mixed[:, places] = self.values[rng.permutation(n)][:, places]
        if len(np.unique(mixed, axis=0)) < _LEAST_MIXED * n:
            return self
        shared = np.ones(len(first), dtype=np.bool_)
        for places in self.features:
            _, value, often = np.unique(distinct[:, places], axis=0, return_inverse=True, return_counts=True)
            shared &= often[value.ravel()] >= max(_ATOM_SIZE, _ATOM_SHARE * len(first))
        stays = shared[which.ravel()]
        stays[first] = True
        return self.part(np.flatnonzero(stays))


def group_table(features: FeatureSet, everyone: RowOrder, sample: Rows) -> tuple[GroupTable, list[str]]:
    """Some customers, by their places in that order, to look for groups in, and what each column is part of.

    That is the feature itself, or the category whose level it tells.
    """
    wholes: list[str] = []
    together: dict[str, list[int]] = {}
    for place, name in enumerate(features.names[place] for place in everyone.column_order):
        indicator = features.indicators.get(name)
        if indicator is not None and indicator.level is not None:
            together.setdefault(indicator.column, []).append(place)
            name = indicator.column
        wholes.append(name)
    categories = tuple(map(tuple, together.values()))
    return GroupTable(everyone.columns[:, sample].T, everyone.order[sample], categories), wholes
