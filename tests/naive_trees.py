"""Merge trees the slow and plain way, from their definitions: O(n³), one merge at a time, all distances anew."""

from itertools import pairwise

import numpy as np


def naive_merges(distances, linkage, points=None):
    """The merges as (members, members, height), in order; `points` (n, d) for the linkages that need them."""
    branches = [((leaf,), None if points is None else points[leaf].astype(float)) for leaf in range(len(distances))]
    parts = {}
    merges = []
    while len(branches) > 1:
        heights = {
            (i, j): _apart(branches[i], branches[j], distances, linkage, parts)
            for i in range(len(branches))
            for j in range(i + 1, len(branches))
        }
        i, j = min(heights, key=lambda pair: heights[pair])
        one, other = branches[i], branches[j]
        merges.append((one[0], other[0], heights[i, j]))
        together = tuple(sorted(one[0] + other[0]))
        parts[together] = (one[0], other[0])
        branches = [branch for index, branch in enumerate(branches) if index not in (i, j)]
        branches.append((together, None if points is None else _point(one, other, linkage)))
    return merges


def refuse_unless_closest(merges, distances, linkage, points=None):
    """Assert that each of some merges merges a closest pair of its time, at the height that the definition gives."""
    branches = {(leaf,): None if points is None else points[leaf].astype(float) for leaf in range(len(distances))}
    parts = {}
    for one, other, height in merges:
        every = [
            _apart((a, branches[a]), (b, branches[b]), distances, linkage, parts)
            for index, a in enumerate(branches)
            for b in list(branches)[index + 1 :]
        ]
        own = _apart((one, branches[one]), (other, branches[other]), distances, linkage, parts)
        assert abs(own - height) <= 1e-9 * max(1.0, height)
        assert own <= min(every) + 1e-9
        together = tuple(sorted(one + other))
        parts[together] = (one, other)
        point = None if points is None else _point((one, branches.pop(one)), (other, branches.pop(other)), linkage)
        if points is None:
            branches.pop(one)
            branches.pop(other)
        branches[together] = point


def naive_cophenetic(merges, n):
    """Condensed heights of first meeting."""
    met = np.zeros((n, n))
    for one, other, height in merges:
        for a in one:
            for b in other:
                met[a, b] = met[b, a] = height
    return met[np.triu_indices(n, k=1)]


def naive_groups(merges, n, count):
    """The sets of leaves after all merges but the last count - 1."""
    groups = [{leaf} for leaf in range(n)]
    for one, other, _ in merges[: n - count]:
        groups = [group for group in groups if not group & {*one, *other}] + [{*one, *other}]
    return {frozenset(group) for group in groups}


def neighbours_sum(order, distances):
    """How long the way along an order of leaves is."""
    return sum(distances[a, b] for a, b in pairwise(order))


def _apart(one, other, distances, linkage, parts):
    if linkage == "ward":
        sizes = len(one[0]), len(other[0])
        return np.sqrt(2.0 * sizes[0] * sizes[1] / sum(sizes)) * np.linalg.norm(one[1] - other[1])
    if linkage in ("centroid", "median"):
        return np.linalg.norm(one[1] - other[1])
    if linkage == "weighted":
        return _weighted(one[0], other[0], distances, parts)
    block = distances[np.ix_(one[0], other[0])]
    return {"single": block.min, "complete": block.max, "average": block.mean}[linkage]()


def _weighted(one, other, distances, parts):
    if len(one) == len(other) == 1:
        return distances[one[0], other[0]]
    if len(one) > 1 and (len(other) == 1 or _made(one, parts) > _made(other, parts)):
        return np.mean([_weighted(part, other, distances, parts) for part in parts[one]])
    return np.mean([_weighted(one, part, distances, parts) for part in parts[other]])


def _made(branch, parts):
    return list(parts).index(branch)


def _point(one, other, linkage):
    share = 0.5 if linkage == "median" else len(other[0]) / (len(one[0]) + len(other[0]))
    return one[1] * (1.0 - share) + other[1] * share
