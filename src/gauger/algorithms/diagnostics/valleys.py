"""Valleys between segments: whether points thin out on the way from one to another."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse.csgraph import connected_components
from scipy.special import ndtri

from gauger.algorithms.diagnostics.ties import SmoothTable
from gauger.algorithms.statistics import scaled_dip

DEEP = 0.60
"""A scaled dip that evenly spread points reach once in fifty times, a normal cloud never: a valley by itself."""

_THIN_TO = 2
"""Of two segments the larger is thinned to so many times the smaller, whose peak would drown else: judgement."""

Values = NDArray[np.float64]
Codes = NDArray[np.integer]
Rows = NDArray[np.intp]


@dataclass(frozen=True, eq=False)
class _Part:
    """The rows (m,) of one segment; for every draw its measures (m, d) with their mean and covariance."""

    rows: Rows
    values: tuple[Values, ...]
    means: tuple[Values, ...]
    covariances: tuple[Values, ...]

    @classmethod
    def of(cls, table: SmoothTable, rows: Rows) -> "_Part":
        values = tuple(draw[rows] for draw in table.draws)
        means = tuple(own.mean(axis=0) if len(rows) else np.zeros(own.shape[1]) for own in values)
        gaps = (own - mean for own, mean in zip(values, means, strict=True))
        return cls(rows, values, means, tuple(gap.T @ gap / max(len(rows), 1) for gap in gaps))

    def __len__(self) -> int:
        return len(self.rows)


def _depth_between(table: SmoothTable, one: _Part, other: _Part) -> float:
    """The mean of the scaled dips of two segments over the draws; higher means a deeper valley."""
    small, large = (one, other) if len(one) <= len(other) else (other, one)
    total, depth = len(small) + len(large), 0.0
    for index in range(len(table.draws)):
        few, many = small.values[index], large.values[index]
        if table.levels.shape[1]:
            scores = _level_scores(table, small.rows, large.rows, index)
            few, many = np.hstack([few, scores[: len(small)]]), np.hstack([many, scores[len(small) :]])
            middle, others_middle = few.mean(axis=0), many.mean(axis=0)
            own, others = few - middle, many - others_middle
            within, towards = (own.T @ own + others.T @ others) / total, others_middle - middle
        else:
            within = (len(small) * small.covariances[index] + len(large) * large.covariances[index]) / total
            towards = large.means[index] - small.means[index]
        depth += valley_depth(few, many, within, towards) / len(table.draws)
    return depth


def valley_depth(few: Values, many: Values, within: Values, towards: Values) -> float:
    """The scaled dip of two segments' points on the line that tells them apart best; higher means a deeper valley.

    The line is Fisher's linear discriminant (1936, Annals of Eugenics 7, 179-188), drawn towards the line between the
    means as far as the smaller segment has few points for the number of features. The larger segment is thinned to
    twice the smaller, evenly along the line, so that a small segment beside a large one is heard.
    """
    d = len(towards)
    drawn = min(1.0, 2.0 * d / len(few))
    pooled = (1.0 - drawn) * within
    pooled[np.diag_indices(d)] += (drawn + 1e-9) * (float(np.trace(within)) / d or 1.0)
    line = np.linalg.solve(pooled, towards)
    less, more = few @ line, np.sort(many @ line)
    if len(more) > _THIN_TO * len(less):
        most = _THIN_TO * len(less)
        more = more[((np.arange(most) + 0.5) * len(more) / most).astype(np.intp)]
    return scaled_dip(np.sort(np.concatenate([less, more])))


def _level_scores(table: SmoothTable, ones: Rows, others: Rows, draw: int) -> Values:
    """Normal scores (m, c) of categories' levels for the rows of two segments, ordered by their lean to the second.

    One category alone is then exactly normal between any two segments; several that agree still show a valley.
    """
    rows = np.concatenate([ones, others])
    scores = np.empty((len(rows), table.levels.shape[1]))
    for index, levels in enumerate(table.levels[rows].T):
        most = int(levels.max()) + 1
        first = np.bincount(levels[: len(ones)], minlength=most).astype(np.float64)
        both = np.bincount(levels, minlength=most).astype(np.float64)
        order = np.argsort(-first / np.maximum(both, 1.0), kind="stable")
        before = np.empty(most)
        before[order] = np.cumsum(both[order]) - both[order]
        shares = (before[levels] + table.ties[rows, draw] * both[levels]) / len(rows)
        scores[:, index] = ndtri(np.clip(shares, 1e-9, 1.0 - 1e-9))
    return scores


class Valleys:
    """The valleys between the segments of a table's points (n,); codes (n,) from 0 to count - 1.

    `.depths` (count, count) are the scaled dips; 0 on the diagonal, and beside segments of fewer than `least`
    points, which are too small to say.
    """

    def __init__(self, table: SmoothTable, codes: Codes, count: int, least: float) -> None:
        self._table, self._codes, self._least = table, codes, least
        self._parts = [_Part.of(table, np.flatnonzero(codes == segment)) for segment in range(count)]
        self.depths = np.zeros((count, count))
        for one in range(count):
            for other in range(one + 1, count):
                self.depths[one, other] = self.depths[other, one] = self._depth(self._parts[one], self._parts[other])

    @property
    def shallowest(self) -> float:
        """The depth between the two segments that are least apart."""
        return float(self.depths[np.triu_indices(len(self.depths), 1)].min())

    def merging(self) -> Iterator[tuple[int, float, Codes]]:
        """Merge the two that are least apart, again and again: the count, the shallowest depth, and codes (n,) of each.

        Begins with the segments as they are and ends with two.
        """
        parts, depths, codes = list(self._parts), self.depths.copy(), self._codes.astype(np.intp)
        while len(parts) > 1:
            np.fill_diagonal(depths, np.inf)
            one, other = sorted(divmod(int(depths.argmin()), len(parts)))
            yield len(parts), float(depths[one, other]), codes
            parts[one] = _Part.of(self._table, np.concatenate([parts[one].rows, parts.pop(other).rows]))
            depths = np.delete(np.delete(depths, other, axis=0), other, axis=1)
            codes = np.where(codes == other, one, codes - (codes > other))
            for index, part in enumerate(parts):
                if index != one:
                    depths[one, index] = depths[index, one] = self._depth(parts[one], part)

    def _depth(self, one: _Part, other: _Part) -> float:
        return _depth_between(self._table, one, other) if min(len(one), len(other)) >= self._least else 0.0


def joined(depths: Values, limit: float) -> tuple[int, Rows]:
    """Join segments with a valley (count, count) below `limit`, in chains too: how many are left, and where each is."""
    left, home = connected_components(depths < limit, directed=False)
    return int(left), home.astype(np.intp)


def shallow_from(table: SmoothTable, codes: Codes, centres: Values, least: float, enough: float) -> float:
    """The valley between the two segments least apart, or the first that is found below `enough`, the nearest first."""
    count = len(centres)
    parts = [_Part.of(table, np.flatnonzero(codes == segment)) for segment in range(count)]
    if min(map(len, parts)) < least:
        return 0.0
    apart = ((centres[:, None] - centres) ** 2).sum(axis=2)
    depth = np.inf
    ones, others = np.triu_indices(count, 1)
    for at in np.argsort(apart[ones, others], kind="stable"):
        depth = min(depth, _depth_between(table, parts[ones[at]], parts[others[at]]))
        if depth < enough:
            break
    return depth


def shallowest_neighbours(table: SmoothTable, codes: Codes, centres: Values, least: float) -> list[float]:
    """For each segment of `least` points or more the shallowest valley to the three nearest by their centres (k, d)."""
    count = len(centres)
    parts = [_Part.of(table, np.flatnonzero(codes == segment)) for segment in range(count)]
    apart = ((centres[:, None] - centres) ** 2).sum(axis=2)
    np.fill_diagonal(apart, np.inf)
    near = np.argsort(apart, axis=1, kind="stable")[:, : min(3, count - 1)]
    depths = np.full((count, count), np.inf)
    for one in range(count):
        for other in near[one].tolist():
            if np.isinf(depths[one, other]) and min(len(parts[one]), len(parts[other])) >= least:
                depths[one, other] = depths[other, one] = _depth_between(table, parts[one], parts[other])
    shallow = depths.min(axis=1)
    return [float(depth) for depth in shallow[np.isfinite(shallow)]]
