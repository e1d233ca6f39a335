"""Valleys between segments: whether points thin out on the way from one to another."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse.csgraph import connected_components

from gauger.algorithms.statistics import scaled_dip

_THIN_TO = 2
"""Of two segments the larger is thinned to so many times the smaller, whose peak would drown else: judgement."""

Values = NDArray[np.float64]
Codes = NDArray[np.integer]


@dataclass(frozen=True, eq=False)
class _Part:
    """Points (m, d) of one segment with their mean and covariance."""

    values: Values
    mean: Values
    covariance: Values

    @classmethod
    def of(cls, values: Values) -> "_Part":
        mean = values.mean(axis=0)
        gaps = values - mean
        return cls(values, mean, gaps.T @ gaps / len(values))

    def __len__(self) -> int:
        return len(self.values)

    def joined(self, other: "_Part") -> "_Part":
        return _Part.of(np.concatenate([self.values, other.values]))


def valley_depth(one: _Part, other: _Part) -> float:
    """The scaled dip of two segments' points on the line that tells them apart best; higher means a deeper valley.

    The line is Fisher's linear discriminant (1936, Annals of Eugenics 7, 179-188), drawn towards the line between the
    means as far as the smaller segment has few points for the number of features. The larger segment is thinned to
    twice the smaller, evenly along the line, so that a small segment beside a large one is heard.
    """
    small, large = sorted((one, other), key=len)
    d = len(small.mean)
    within = (len(small) * small.covariance + len(large) * large.covariance) / (len(small) + len(large))
    drawn = min(1.0, 2.0 * d / len(small))
    round_one = np.eye(d) * (np.trace(within) / d or 1.0)
    line = np.linalg.solve((1.0 - drawn) * within + drawn * round_one + 1e-9 * round_one, large.mean - small.mean)
    few, many = small.values @ line, np.sort(large.values @ line)
    if len(many) > _THIN_TO * len(few):
        most = _THIN_TO * len(few)
        many = many[((np.arange(most) + 0.5) * len(many) / most).astype(np.intp)]
    return scaled_dip(np.sort(np.concatenate([few, many])))


class Valleys:
    """The valleys between the segments of points (n, d); codes (n,) from 0 to count - 1.

    `.depths` (count, count) are the scaled dips; 0 on the diagonal, and beside segments of fewer than `least`
    points, which are too small to say.
    """

    def __init__(self, values: Values, codes: Codes, count: int, least: float) -> None:
        self._codes, self._least = codes, least
        self._parts = [_Part.of(values[codes == segment]) for segment in range(count)]
        self.depths = np.zeros((count, count))
        for one in range(count):
            for other in range(one + 1, count):
                self.depths[one, other] = self.depths[other, one] = self._depth(self._parts[one], self._parts[other])

    @property
    def shallowest(self) -> float:
        """The depth between the two segments that are least apart."""
        return float(self.depths[np.triu_indices(len(self.depths), 1)].min())

    def linked(self, limit: float) -> int:
        """How many groups are left when segments with a valley below `limit` are linked, in chains too."""
        return int(connected_components(self.depths < limit, directed=False)[0])

    def merging(self) -> Iterator[tuple[int, float, Codes]]:
        """Merge the two that are least apart, again and again: the count, the shallowest depth, and codes (n,) of each.

        Begins with the segments as they are and ends with two.
        """
        parts, depths, codes = list(self._parts), self.depths.copy(), self._codes.astype(np.intp)
        while len(parts) > 1:
            np.fill_diagonal(depths, np.inf)
            one, other = sorted(divmod(int(depths.argmin()), len(parts)))
            yield len(parts), float(depths[one, other]), codes
            parts[one] = parts[one].joined(parts.pop(other))
            depths = np.delete(np.delete(depths, other, axis=0), other, axis=1)
            codes = np.where(codes == other, one, codes - (codes > other))
            for index, part in enumerate(parts):
                if index != one:
                    depths[one, index] = depths[index, one] = self._depth(parts[one], part)

    def _depth(self, one: _Part, other: _Part) -> float:
        return valley_depth(one, other) if min(len(one), len(other)) >= self._least else 0.0
