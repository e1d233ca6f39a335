"""What happens to groups as the radius shrinks: which split, which lose points, and how long each lasts.

Campello, Moulavi & Sander (2013), Advances in Knowledge Discovery and Data Mining (PAKDD), 160-172.
"""

from dataclasses import dataclass, field

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gauger.algorithms.merge_trees import Merges

Values = NDArray[np.float64]
Rows = NDArray[np.intp]
Flags = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Hierarchy:
    """Branches, of which number 0 holds everyone; each splits into two or more at a distance, or fades away.

    By branch (b,): `parent` (-1 for the first; always a lower number), `born` (the distance at which it split off,
    infinite for the first), `held` (points at that moment) and `inside` (whether it is a dense spot within its
    parent, which goes on around it). By point (n,): the `branch` it leaves last, and at
    which distance, `left`.
    """

    parent: Rows
    born: Values
    held: Rows
    branch: Rows
    left: Values
    inside: Flags = field(default_factory=lambda: np.zeros(0, dtype=np.bool_))

    @property
    def spots(self) -> Rows:
        """The branches that are dense spots within their parents."""
        return np.flatnonzero(self.inside)

    def gathered(self, by_point: Values) -> Values:
        """A sum over the points of each branch and of all below it."""
        sums: Values = np.bincount(self.branch, weights=by_point, minlength=len(self.parent)).astype(np.float64)
        for number in range(len(sums) - 1, 0, -1):
            sums[self.parent[number]] += sums[number]
        return sums

    def lowest(self) -> Values:
        """The least distance at which any point of a branch, or of one below it, leaves."""
        least = np.full(len(self.parent), np.inf)
        np.minimum.at(least, self.branch, self.left)
        for number in range(len(least) - 1, 0, -1):
            least[self.parent[number]] = min(least[self.parent[number]], least[number])
        return least

    def children(self) -> list[list[int]]:
        """The branches that each splits into, dense spots apart."""
        below: list[list[int]] = [[] for _ in self.parent]
        spots = set(self.spots.tolist())
        for number, parent in enumerate(self.parent.tolist()):
            if parent >= 0 and number not in spots:
                below[parent].append(number)
        return below

    def stability(self) -> Values:
        """By branch, the sum over its points of 1 / (distance at which one leaves it) - 1 / born."""
        inverse = np.where(np.isinf(self.born), 0.0, 1.0 / self.born)
        stay = 1.0 / self.left - inverse[self.branch]
        sums: Values = np.bincount(self.branch, weights=stay, minlength=len(inverse)).astype(np.float64)
        parents = self.parent[1:]
        np.add.at(sums, parents, self.held[1:] * (inverse[1:] - inverse[parents]))
        return sums

    def most_stable(self) -> list[int]:
        """The branches, none above another, whose stability adds up highest; the first only if it never splits."""
        best, below = self.stability(), self.children()
        own = np.ones(len(best), dtype=np.bool_)
        for number in range(len(best) - 1, -1, -1):
            together = float(sum(best[child] for child in below[number]))
            if below[number] and (number == 0 or together > best[number]):
                best[number], own[number] = together, False
        found, waiting = [], [0]
        while waiting:
            number = waiting.pop()
            if own[number]:
                found.append(number)
            else:
                waiting += below[number]
        return sorted(found)

    def with_what_is_inside(self, chosen: list[int]) -> list[int]:
        """Chosen branches with the dense spots inside of any; without those of which hardly anything is left around."""
        spots = self.spots.tolist()
        around = self.held.copy()
        for spot in spots:
            around[self.parent[spot]] -= self.held[spot]
        smallest = min((int(self.held[spot]) for spot in spots), default=0)
        hollow = {int(self.parent[spot]) for spot in spots if around[self.parent[spot]] < smallest}
        return sorted({*chosen, *spots} - hollow)

    def under(self, chosen: list[int]) -> Rows:
        """For each branch the chosen one that it is or is below, -1 where there is none."""
        home = np.full(len(self.parent), -1)
        home[chosen] = chosen
        for number in range(1, len(home)):
            if home[number] < 0:
                home[number] = home[self.parent[number]]
        return home

    def without_shallow_splits(self, deep: Flags) -> "Hierarchy":
        """The same where a branch splits only into those that are deep (b,), or have a deep one below them.

        With one such branch the parent goes on as it, and the others' points leave; with none the parent goes on
        with all of them.
        """
        below = self.children()
        alive = deep.copy()
        for number in range(len(alive) - 1, 0, -1):
            alive[self.parent[number]] |= alive[number]
        target, fallen = np.zeros(len(alive), dtype=np.intp), np.full(len(alive), np.nan)
        kept = [0]
        for number in range(1, len(alive)):
            parent = self.parent[number]
            living = sum(bool(alive[child]) for child in below[parent])
            target[number], fallen[number] = target[parent], fallen[parent]
            if not np.isnan(fallen[parent]):
                continue
            if living and not alive[number]:
                fallen[number] = self.born[number]
            elif living > 1:
                target[number] = len(kept)
                kept.append(number)
        home = np.array(kept)
        parents = np.concatenate([[-1], target[self.parent[home[1:]]]]).astype(np.intp)
        away = fallen[self.branch]
        left = np.where(np.isnan(away), self.left, away)
        return Hierarchy(parents, self.born[home], self.held[home], target[self.branch], left)


def hierarchy_of(merges: Merges, smallest: int) -> Hierarchy:
    """The hierarchy that merges, by height, make of branches of at least `smallest` points.

    Seen from above: where two or more parts of that size come apart, each is a new branch; where only one is left, it
    is the same branch, and the others' points leave. Merges at one height happen together, so that it does not
    matter which of equal links were taken. Points at no distance count as apart by the least distance there is.
    """
    n = merges.leaves
    positive = merges.height[merges.height > 0.0]
    floor = float(positive.min()) if positive.size else 1.0
    most = max(2 * n // smallest, 1) + 1
    parent, held = np.full(most, -1, dtype=np.intp), np.zeros(most, dtype=np.intp)
    born = np.full(most, np.inf)
    branch, gone = np.full(2 * n - 1, -1, dtype=np.intp), np.full(2 * n - 1, np.nan)
    heights = np.maximum(merges.height, floor)
    many = shed(merges.left, merges.right, heights, smallest, branch, gone, parent, born, held)
    return Hierarchy(parent[:many], born[:many], held[:many], branch[:n].copy(), gone[:n].copy())


@njit(nogil=True, cache=True)
def shed(left, right, height, smallest, branch, gone, parent, born, held):
    """Walk down the merges: write which branch every node (2 n - 1,) is in, and at what height it left.

    Also each branch's parent, height and points; returns how many branches there are.
    """
    n = left.shape[0] + 1
    size = np.ones(2 * n - 1, np.int64)
    for step in range(n - 1):
        size[n + step] = size[left[step]] + size[right[step]]
    parts, stack = np.empty(n, np.int64), np.empty(n, np.int64)
    branch[2 * n - 2], held[0], many = 0, n, 1
    for step in range(n - 2, -1, -1):
        node = n + step
        if gone[node] > 0.0:
            for child in (left[step], right[step]):
                branch[child], gone[child] = branch[node], gone[node]
        elif branch[node] >= 0:
            count, large = _come_apart(left, right, height, size, smallest, node, parts, stack)
            many = _hand_on(parts[:count], large, branch[node], height[step], size, smallest, many, branch, gone, born)
            for index in range(count):
                number = branch[parts[index]]
                if number != branch[node]:
                    parent[number], held[number] = branch[node], size[parts[index]]
    return many


@njit(nogil=True, cache=True, inline="always")
def _come_apart(left, right, height, size, smallest, node, parts, stack):
    """The parts of a node just below its height, into parts; how many there are, and how many are large enough."""
    n = left.shape[0] + 1
    count, large, waiting = 0, 0, 1
    stack[0] = node
    while waiting:
        waiting -= 1
        step = stack[waiting] - n
        for child in (left[step], right[step]):
            if child >= n and height[child - n] == height[node - n]:
                stack[waiting] = child
                waiting += 1
            else:
                parts[count] = child
                count += 1
                large += size[child] >= smallest
    return count, large


@njit(nogil=True, cache=True, inline="always")
def _hand_on(parts, large, own, level, size, smallest, many, branch, gone, born):
    """Say of each part of a branch whether it goes on, is a branch of its own, or leaves; returns the branches now."""
    for part in parts:
        branch[part] = own
        if size[part] < smallest:
            gone[part] = level
        elif large > 1:
            branch[part], born[many] = many, level
            many += 1
    return many
