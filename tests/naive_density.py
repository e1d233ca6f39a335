"""Density the slow and plain way, from its definitions: all distances, no trees, one radius after the other."""

import numpy as np
import pandas as pd

import gauger


def features_of(points: np.ndarray, keys: object = None) -> gauger.FeatureSet:
    """Points (n, d) or (n,) as features, as they are."""
    points = np.atleast_2d(np.asarray(points, dtype=float).T).T
    table = pd.DataFrame(points, columns=[f"x{index}" for index in range(points.shape[1])])
    table.insert(0, "who", range(len(points)) if keys is None else keys)
    return gauger.prepare(table, key="who", scale="none")


def segments_of(seg: gauger.Segmentation) -> set[frozenset[int]]:
    """Each segment as the set of its customers."""
    return {frozenset(np.flatnonzero(seg.codes == number).tolist()) for number in seg.numbers}


def all_distances(points, *, city=False):
    """Distances (n, n) between points (n, d)."""
    gaps = points[:, None] - points[None]
    return np.abs(gaps).sum(axis=2) if city else np.sqrt((gaps**2).sum(axis=2))


def linked(members, near):
    """The parts of members that hang together by near (n, n), as sets."""
    parts, left = [], set(members)
    while left:
        part, edge = set(), [min(left)]
        while edge:
            one = edge.pop()
            if one in left:
                left.remove(one)
                part.add(one)
                edge += [other for other in left if near[one, other]]
        parts.append(part)
    return parts


def naive_density(apart, radius, min_points, keys):
    """Core customers, and the segments as sets of customers: Ester et al. with borders to the nearest core customer."""
    near = apart <= radius
    core = {int(row) for row in np.flatnonzero(near.sum(axis=1) >= min_points)}
    segments = linked(core, near)
    for row in range(len(apart)):
        within = [other for other in core if near[row, other]]
        if row not in core and within:
            home = min(within, key=lambda other: (apart[row, other], keys[other]))
            next(segment for segment in segments if home in segment).add(row)
    return core, {frozenset(segment) for segment in segments}


class Branch:
    """A branch of the hierarchy: its members at `born`, who leaves it at which distance, and what it splits into."""

    def __init__(self, members, born):
        self.members, self.born, self.leaves, self.children = set(members), born, {}, []

    @property
    def stability(self):
        own = sum(1.0 / left - 1.0 / self.born for left in self.leaves.values())
        return own + sum(len(child.members) * (1.0 / child.born - 1.0 / self.born) for child in self.children)

    def everyone_leaves(self):
        """Every member, below too, with the distance at which it leaves its last branch."""
        found = dict(self.leaves)
        for child in self.children:
            found |= child.everyone_leaves()
        return found


def naive_hierarchy(apart, smallest, min_points):
    """Reaches, and the branch of everyone: Campello et al. from mutual reachability, one distance after the other."""
    reach = np.sort(apart, axis=1)[:, min_points - 1]
    mutual = np.maximum(apart, np.maximum(reach[:, None], reach[None]))
    np.fill_diagonal(mutual, 0.0)
    positive = mutual[mutual > 0.0]
    floor = positive.min() if positive.size else 1.0
    np.fill_diagonal(mutual, -1.0)
    mutual = np.where(mutual == 0.0, floor, mutual)
    root = Branch(range(len(apart)), np.inf)
    _grow(root, set(root.members), mutual, smallest)
    return reach, root


def _grow(branch, members, mutual, smallest):
    rows = sorted(members)
    level = _longest_needed(rows, mutual)
    parts = linked(members, mutual < level)
    large = [part for part in parts if len(part) >= smallest]
    for part in parts:
        if len(part) < smallest:
            branch.leaves |= dict.fromkeys(part, level)
        elif len(large) == 1:
            _grow(branch, part, mutual, smallest)
        else:
            child = Branch(part, level)
            branch.children.append(child)
            _grow(child, part, mutual, smallest)


def _longest_needed(rows, mutual):
    """The least distance whose links hold all rows together."""
    inside, longest = {rows[0]}, 0.0
    while len(inside) < len(rows):
        step, nearest = min((mutual[i, j], j) for i in inside for j in rows if j not in inside)
        inside.add(nearest)
        longest = max(longest, step)
    return longest


def without_shallow(branch, is_deep):
    """Drop the splits that do not have two branches that are deep or have deep ones below them."""
    for child in branch.children:
        without_shallow(child, is_deep)
    alive = [child for child in branch.children if is_deep(child) or child.children or child.alive]
    branch.alive = bool(alive)
    if len(alive) >= 2:
        for child in branch.children:
            if child not in alive:
                branch.leaves |= dict.fromkeys(child.members, child.born)
        branch.children = alive
        return
    for child in branch.children:
        if child in alive or not alive:
            branch.leaves |= child.leaves
        else:
            branch.leaves |= dict.fromkeys(child.members, child.born)
    branch.children = [below for child in alive for below in child.children]


def most_stable(branch, *, top=True):
    """The best stability at or below a branch, and the branches that have it; the top one only if it never splits."""
    below = [most_stable(child, top=False) for child in branch.children]
    together = sum(stability for stability, _ in below)
    if not below or (not top and branch.stability >= together):
        return branch.stability, [branch]
    return together, [chosen for _, some in below for chosen in some]
