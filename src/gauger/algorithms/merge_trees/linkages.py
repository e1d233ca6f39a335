"""Build a merge tree: which linkage needs what, and where its merges come from."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.compiling import compile_loops
from gauger.algorithms.distances import Geometry, MetricSettings, geometry
from gauger.algorithms.memory import available_bytes, bytes_in_words
from gauger.algorithms.merge_trees.closest_pairs import merge_closest_points
from gauger.algorithms.merge_trees.lance_williams import MATRIX_LINKAGES, Condensed, MatrixSpace
from gauger.algorithms.merge_trees.merges import Merges, after_duplicates
from gauger.algorithms.merge_trees.reciprocal_pairs import merge_reciprocal_pairs
from gauger.algorithms.merge_trees.single_linkage import merge_by_links, merge_points_by_links
from gauger.algorithms.merge_trees.ward import WardSpace
from gauger.algorithms.parallel import map_blocks
from gauger.algorithms.random_streams import fixed_generator
from gauger.algorithms.reports import refusal, task

POINT_LINKAGES = ("ward", "centroid", "median")
LINKAGES = ("single", *MATRIX_LINKAGES, *POINT_LINKAGES)

_BLOCK = 128
"""Rows of distances a call; decides nothing but speed."""

_SHIFT = 1e-9
"""Relative: what is moved by as little as this to see whether ties decide."""
_FULL, _TIGHT = 0.5, 0.9
"""Shares of the free memory that all distances may take, in double and in single precision: judgement."""

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class TreeInput:
    """What a tree stands on: leaves with a distance between any two, and weights (n,).

    `columns` (d, n) are their points, where the distance is Euclidean. Where equal leaves, at no distance, stand side
    by side, `firsts` are those that do not equal the one before them.
    """

    distances: Geometry
    weights: Values
    columns: Values | None = None
    firsts: NDArray[np.intp] | None = None

    def distinct(self) -> "TreeInput":
        """One leaf for all that are equal, with their weight."""
        firsts = self.firsts
        assert firsts is not None
        between = self.distances.between
        fewer = replace(
            self.distances, size=len(firsts), between=lambda rows, others: between(firsts[rows], firsts[others])
        )
        columns = None if self.columns is None else np.ascontiguousarray(self.columns[:, firsts])
        return TreeInput(fewer, np.add.reduceat(self.weights, firsts), columns)

    def shifted(self) -> "TreeInput":
        """The same, every leaf moved by about a billionth, equal ones alike, so that ties fall another way."""
        rng = fixed_generator()
        n = len(self.weights)
        firsts = np.arange(n) if self.firsts is None else self.firsts
        duplicate = np.searchsorted(firsts, np.arange(n), side="right") - 1
        noise = _SHIFT * rng.random(len(firsts))[duplicate]
        between = self.distances.between
        apart = replace(
            self.distances,
            between=lambda rows, others: between(rows, others) * (1.0 + noise[rows][:, None] + noise[others]),
        )
        if self.columns is None:
            return replace(self, distances=apart)
        widths = self.columns.std(axis=1, keepdims=True)
        steps = _SHIFT * widths * rng.normal(size=(len(widths), len(firsts)))
        return replace(self, distances=apart, columns=self.columns + steps[:, duplicate])


def merge_all(tree_input: TreeInput, linkage: str) -> Merges:
    """Every merge of an input's leaves, in order.

    Heights of centroid and median linkage are squared distances, those of Ward's twice what a merge adds to the sum of
    squares, those of the others distances.
    """
    compile_for(linkage)
    n = len(tree_input.weights)
    if tree_input.firsts is not None and len(tree_input.firsts) < n:
        return after_duplicates(
            tree_input.firsts, n, merge_all(tree_input.distinct(), linkage) if len(tree_input.firsts) > 1 else None
        )
    if linkage in MATRIX_LINKAGES:
        distances = condensed(tree_input.distances)
        with task(f"{linkage}-linkage tree of {n:,} leaves", n - 1) as advance:
            return merge_reciprocal_pairs(MatrixSpace(distances, tree_input.weights, linkage), advance)
    with task(f"{linkage}-linkage tree of {n:,} leaves", n - 1) as advance:
        return _without_matrix(tree_input, linkage, advance)


def _without_matrix(tree_input: TreeInput, linkage: str, advance: Callable[[int], None]) -> Merges:
    if linkage == "single" and tree_input.columns is None:
        return merge_by_links(len(tree_input.weights), _from_one(tree_input.distances), advance)
    assert tree_input.columns is not None
    if linkage == "single":
        return merge_points_by_links(tree_input.columns, advance)
    if linkage == "ward":
        return merge_reciprocal_pairs(WardSpace(tree_input.columns, tree_input.weights), advance)
    return merge_closest_points(tree_input.columns, tree_input.weights, linkage == "centroid", advance)


@cache
def compile_for(linkage: str) -> None:
    """Compile the loops of a linkage that holds no matrix."""
    if linkage in (*POINT_LINKAGES, "single"):
        columns = np.array([[0.0, 1.0, 5.0]])
        points = geometry("euclidean", columns.T, MetricSettings(), range(3))
        compile_loops(lambda: _without_matrix(TreeInput(points, np.ones(3), columns), linkage, lambda _: None))


def _from_one(distances: Geometry) -> Callable[[int], Values]:
    everyone = np.arange(distances.size)
    return lambda leaf: np.ascontiguousarray(distances.between(everyone[leaf : leaf + 1], everyone)[0], np.float64)


def condensed(distances: Geometry) -> Condensed:
    """All distances, by rows above the diagonal (n (n - 1) / 2,): float64, or float32 where memory is short.

    Refuses when even that does not fit, with the ways out.
    """
    n = distances.size
    pairs = n * (n - 1) // 2
    matrix: Condensed = np.empty(pairs, np.float64) if precision_for(n) is np.float64 else np.empty(pairs, np.float32)
    everyone = np.arange(n)

    def fill(rows: slice) -> int:
        block = distances.between(everyone[rows], everyone[rows.start :])
        at = rows.start * (2 * n - rows.start - 1) // 2
        for index, row in enumerate(range(rows.start, rows.stop)):
            own = block[index, index + 1 :]
            matrix[at : at + len(own)] = own
            at += n - 1 - row
        return len(block)

    with task(f"distances of {n:,}, {bytes_in_words(matrix.nbytes)}", n) as advance:
        for done in map_blocks(fill, n, _BLOCK):
            advance(done)
    return matrix


def precision_for(n: int) -> type[np.float64] | type[np.float32]:
    """The precision in which all distances of n fit into half the memory there is, float32 into nine tenths."""
    pairs, free = n * (n - 1) // 2, available_bytes()
    if 8 * pairs <= _FULL * free:
        return np.float64
    if 4 * pairs <= _TIGHT * free:
        return np.float32
    raise refusal(
        f"the distances between {n:,} take {bytes_in_words(8 * pairs)}, half of that at lower precision, and "
        f"{bytes_in_words(free)} are free. Take linkage='ward', 'centroid' or 'single', which hold no such matrix, or "
        "build the tree on micro-segments: condense=2000 (--condense 2000)."
    )
