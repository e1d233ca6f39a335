"""What of a merge tree is drawn, and in which segment: all leaves of a small one, else its top, branches collapsed."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.merge_trees import branches_after, positions, sizes_of
from gauger.clustering import MergeTree
from gauger.segmentation import Codes

MOST_LEAVES = 60
"""Leaves whose names fit."""

USUAL_BRANCHES = 24
"""Branches that a larger tree is collapsed to: wedges that can be told apart."""


@dataclass(frozen=True)
class Branch:
    """What stands at one place of the axis: a leaf, or a collapsed branch of several (a wedge as high as `height`)."""

    place: float
    height: float
    size: int
    name: str
    collapsed: bool
    segment: int


@dataclass(frozen=True)
class Link:
    """One merge that is drawn: where its two branches stand, how high they are and in which segments, and its own."""

    places: tuple[float, float]
    heights: tuple[float, float]
    segments: tuple[int, int]
    height: float
    segment: int


@dataclass(frozen=True)
class Cut:
    """A cut: its `height`, and by number each segment's size, and its first and last place."""

    height: float
    sizes: dict[int, int]
    spans: dict[int, tuple[float, float]]

    @property
    def count(self) -> int:
        """How many segments it leaves."""
        return len(self.sizes)


@dataclass(frozen=True)
class TreeView:
    """Branches from left to right, links from the lowest, and the cut, if there is one."""

    branches: tuple[Branch, ...]
    links: tuple[Link, ...]
    cut: Cut | None
    collapsed: bool


def view_of(
    tree: MergeTree, *, count: int | None = None, height: float | None = None, codes: Codes | None = None
) -> TreeView:
    """Lay out a tree; segments are 0 above the cut and without one. `codes` (n,) number those of the cut otherwise."""
    merges, n = tree.steps, tree.leaves
    segment_of, level, of_segment = _segments(tree, count, height, codes)
    many = n if n <= MOST_LEAVES else min(max(USUAL_BRANCHES, 2 * len(of_segment)), MOST_LEAVES, n)
    shown = branches_after(merges, np.arange(n - 1) < n - many)
    first, _ = positions(merges)
    nodes = sorted(np.unique(shown).tolist(), key=lambda node: int(first[node]))
    sizes = sizes_of(merges, np.bincount(tree.leaf_of, minlength=n).astype(np.float64))
    levels = np.concatenate([np.zeros(n), merges.height])
    position = dict(zip(nodes, np.arange(float(len(nodes))).tolist(), strict=True))
    branches = tuple(
        Branch(
            position[node],
            float(levels[node]),
            int(sizes[node]),
            str(tree.leaf_names[node]) if node < n else f"{int(sizes[node]):,}",
            node >= n,
            int(segment_of[node]),
        )
        for node in nodes
    )
    links = []
    for step in range(n - many, n - 1):
        one, other = int(merges.left[step]), int(merges.right[step])
        spots = position[one], position[other]
        position[n + step] = sum(spots) / 2.0
        heights = float(levels[one]), float(levels[other])
        parts = int(segment_of[one]), int(segment_of[other])
        links.append(Link(spots, heights, parts, float(levels[n + step]), int(segment_of[n + step])))
    cut = None
    if level is not None:
        spans = {
            number: (min(own), max(own))
            for number in of_segment
            if (own := [branch.place for branch in branches if branch.segment == number])
        }
        cut = Cut(level, of_segment, spans)
    return TreeView(branches, tuple(links), cut, many < n)


def _segments(
    tree: MergeTree, count: int | None, height: float | None, codes: Codes | None
) -> tuple[NDArray[np.int64], float | None, dict[int, int]]:
    """Each node's segment (2 n - 1,), the height of the cut, and the sizes of its segments."""
    merges, n = tree.steps, tree.leaves
    found = np.zeros(2 * n - 1, dtype=np.int64)
    if count is None and height is None:
        return found, None, {}
    number = tree.groups(count=count, height=height).to_numpy() if codes is None else codes
    sizes = dict(enumerate(np.bincount(number)[1:].tolist(), 1))
    of_leaf = np.zeros(n, dtype=np.int64)
    of_leaf[tree.leaf_of] = number
    found[:n] = of_leaf
    for step, (one, other) in enumerate(zip(merges.left.tolist(), merges.right.tolist(), strict=True)):
        found[n + step] = found[one] if found[one] == found[other] else 0
    return found, float(height) if height is not None else tree.height_of(len(sizes)), sizes
