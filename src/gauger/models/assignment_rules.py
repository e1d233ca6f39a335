"""How a model finds the segment of a customer: by the nearest centre, the nearest learned customer, or by bands."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import KDTree

from gauger.algorithms import thread_count
from gauger.algorithms.kmeans import assign, squares_to_own

Values = NDArray[np.float64]
Codes = NDArray[np.int32]

_ORDERS = {"euclidean": 2.0, "city_block": 1.0}
"""The exponent of each metric that a search tree answers."""

METRICS = tuple(_ORDERS)


class Assigner(Protocol):
    """A way to place customers."""

    def find_segments(self, columns: Values, recorded: Mapping[str, Values]) -> tuple[Codes, Values]:
        """The segments (m,) of customers, 0 for none, and their distances (m,).

        `columns` (d, m) are their features on the working scale, `recorded` the same in original units, gaps filled.
        """


@dataclass(frozen=True, eq=False)
class NearestCentre:
    """The segment of the nearest of `centres` (k, d) on the working scale; the distance is to there.

    `order` (d,) is the order in which features are added up, that of their names, as k-means has it.
    """

    centres: Values
    order: NDArray[np.intp]

    @classmethod
    def of(cls, centres: Values, names: Sequence[str]) -> "NearestCentre":
        """The rule for centres of features with these names."""
        return cls(centres, np.array(sorted(range(len(names)), key=lambda index: names[index]), dtype=np.intp))

    def find_segments(self, columns: Values, recorded: Mapping[str, Values]) -> tuple[Codes, Values]:
        del recorded
        own = np.ascontiguousarray(columns[self.order])
        centres = np.ascontiguousarray(self.centres[:, self.order])
        codes = np.full(own.shape[1], -1, dtype=np.int32)
        if codes.size:
            assign(own, np.ones(len(codes)), centres, codes)
        return codes + 1, np.sqrt(squares_to_own(own, centres, codes))


@dataclass(frozen=True, eq=False)
class NearestCustomer:
    """The segment (`codes`, 0 for none) of the nearest of the learned `points` (m, d), within `radius` if there is one.

    The distance is to that customer.
    """

    points: Values
    codes: Codes
    metric: str
    radius: float | None = None

    @cached_property
    def _tree(self) -> KDTree:
        return KDTree(self.points)

    def find_segments(self, columns: Values, recorded: Mapping[str, Values]) -> tuple[Codes, Values]:
        del recorded
        if not len(self.points):
            return np.zeros(columns.shape[1], dtype=np.int32), np.full(columns.shape[1], np.nan)
        apart, nearest = self._tree.query(columns.T, p=_ORDERS[self.metric], workers=thread_count())
        codes = np.append(self.codes, np.int32(0))[nearest]  # who is farther than numbers go has no nearest one
        if self.radius is not None:
            codes = np.where(apart <= self.radius, codes, np.int32(0))
        return codes.astype(np.int32), np.asarray(apart)

    def to_another(self, values: Values) -> Values:
        """How far each of some learned customers (n, d) is from the nearest other point; 0 where there is none."""
        if len(self.points) < 2:
            return np.zeros(len(values))
        found, _ = self._tree.query(values, k=2, p=_ORDERS[self.metric], workers=thread_count())
        return np.asarray(np.where(found[:, 0] > 0.0, found[:, 0], found[:, 1]))


@dataclass(frozen=True, eq=False)
class FeatureBands:
    """One feature's bands: where each but the first begins, in original units, and whether the lowest is the best."""

    feature: str
    edges: tuple[float, ...]
    low_is_good: bool

    def of(self, values: Values) -> NDArray[np.intp]:
        """Each value's band, from 1."""
        index = np.searchsorted(np.array(self.edges), values, side="right")
        return (len(self.edges) - index if self.low_is_good else index) + 1


@dataclass(frozen=True, eq=False)
class SameBands:
    """The segment whose customers have the same `cells` (c, b) of bands, or the same score; the distance is to its
    centre.

    `scored` is whether bands are added up; a score that nobody had goes with the next lower one. A combination of bands
    that nobody had is in no segment. `segments` (c,) are those of the cells.
    """

    bands: Sequence[FeatureBands]
    cells: NDArray[np.intp]
    segments: Codes
    scored: bool
    centres: Values

    def find_segments(self, columns: Values, recorded: Mapping[str, Values]) -> tuple[Codes, Values]:
        own = np.column_stack([one.of(recorded[one.feature]) for one in self.bands])
        if self.scored:
            scores = own.sum(axis=1)
            codes = self.segments[np.maximum(np.searchsorted(self.cells[:, 0], scores, side="right") - 1, 0)]
        else:
            known = {tuple(cell): int(code) for cell, code in zip(self.cells.tolist(), self.segments, strict=True)}
            cells, which = np.unique(own, axis=0, return_inverse=True)
            codes = np.array([known.get(tuple(cell), 0) for cell in cells.tolist()], dtype=np.int32)
            codes = codes[np.asarray(which).reshape(-1)]
        gaps = columns.T - np.vstack([np.full(columns.shape[0], np.nan), self.centres])[codes]
        return codes, np.sqrt(np.einsum("ij,ij->i", gaps, gaps))
