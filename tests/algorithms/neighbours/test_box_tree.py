"""The box tree against looking at everything: neighbours, ties, strangers, and empty slots."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gauger.algorithms.neighbours.box_search import SLACK
from gauger.algorithms.neighbours.box_tree import BoxTree, refit_path


def _brute(points: np.ndarray, weights: np.ndarray, slot: int, *, weighted: bool) -> np.ndarray:
    apart = ((points - points[:, [slot]]) ** 2).sum(axis=0)
    apart[slot] = np.inf
    return apart * 2.0 * weights * weights[slot] / (weights + weights[slot]) if weighted else apart


def _apart(boxes: BoxTree, point: np.ndarray) -> np.ndarray:
    gaps = boxes.points - point[:, None]
    return np.abs(gaps).sum(axis=0) if boxes.city else (gaps**2).sum(axis=0)


@pytest.mark.parametrize("weighted", [False, True])
@given(st.integers(2, 200), st.integers(1, 4), st.integers(1, 30), st.integers(0, 10_000))
def test_the_nearest_is_the_one_that_a_full_look_finds(weighted: bool, n: int, d: int, levels: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    boxes = BoxTree(rng.integers(0, levels, size=(d, n)).astype(float), rng.integers(1, 6, size=n).astype(float))
    found, value, rival = boxes.nearest(np.arange(n), weighted=weighted)
    for slot in range(n):
        apart = _brute(boxes.points, boxes.weights, slot, weighted=weighted)
        nearest, following = np.sort(np.append(apart, np.inf))[:2]
        assert value[slot] == pytest.approx(nearest)
        assert apart[found[slot]] == pytest.approx(nearest)
        as_near = following <= nearest * (1.0 + 1e-12)
        assert (rival[slot] <= value[slot] * (1.0 + SLACK)) == as_near


def test_among_equal_distances_many_are_each_others_nearest() -> None:
    for points in (np.zeros((2, 300)), np.vstack([np.arange(300.0), np.zeros(300)])):
        boxes = BoxTree(points, np.ones(300))
        found, value, rival = boxes.nearest(np.arange(300))
        slots = np.arange(300)
        assert (found != slots).all()
        assert len(np.unique(value)) == 1
        assert (rival[:-1] == value[:-1]).sum() >= 298
        assert (found[found] == slots).sum() >= 2
    assert (found[found] == slots).mean() > 0.4


def test_emptied_slots_are_never_found_and_boxes_follow_points_that_move() -> None:
    rng = np.random.default_rng(3)
    boxes = BoxTree(rng.normal(size=(3, 150)), np.ones(150))
    gone = rng.choice(150, size=120, replace=False)
    boxes.points[:, gone] = np.inf
    boxes.refit()
    left = np.setdiff1d(np.arange(150), gone)
    boxes.points[:, left[0]] = 40.0
    refit_path(boxes.points, boxes.levels, boxes.low, boxes.high, left[0])
    found, value, _ = boxes.nearest(left)
    for index, slot in enumerate(left):
        apart = _brute(np.where(np.isinf(boxes.points), 1e9, boxes.points), boxes.weights, slot, weighted=False)
        assert found[index] == apart.argmin()
        assert value[index] == pytest.approx(apart.min())


@given(st.integers(2, 150), st.integers(2, 5), st.integers(0, 10_000))
def test_the_nearest_stranger_is_of_another_group(n: int, groups: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    boxes = BoxTree(rng.normal(size=(2, n)), rng.choice([0.0, 0.5, 2.0], size=n), city=bool(seed % 2))
    own = rng.integers(0, groups, size=n)
    nearest, value = boxes.nearest_outside(own, np.arange(n))
    for slot in range(n):
        reach = np.maximum(boxes.weights, boxes.weights[slot])
        apart = np.where(own == own[slot], np.inf, np.maximum(_apart(boxes, boxes.points[:, slot]), reach))
        assert value[slot] == pytest.approx(apart.min())
        if np.isfinite(apart.min()):
            assert own[nearest[slot]] != own[slot]


@given(st.integers(1, 200), st.integers(1, 4), st.integers(1, 30), st.booleans(), st.integers(0, 10_000))
def test_counts_and_nth_distances_are_those_of_a_full_look(n: int, d: int, levels: int, city: bool, seed: int) -> None:
    rng = np.random.default_rng(seed)
    boxes = BoxTree(rng.integers(0, levels, size=(d, n)).astype(float), np.zeros(n), city=city)
    nth, limit, enough = int(rng.integers(1, n + 1)), float(rng.integers(0, 2 * levels)), int(rng.integers(1, n + 2))
    counts, distances = boxes.counts_within(limit, enough), boxes.nth_distances(nth)
    for slot in range(n):
        apart = _apart(boxes, boxes.points[:, slot])
        assert distances[slot] == np.sort(apart)[nth - 1]
        assert counts[slot] == min((apart <= limit).sum(), enough)


@given(st.integers(1, 200), st.integers(1, 3), st.integers(1, 9), st.booleans(), st.integers(0, 10_000))
def test_of_those_as_near_to_a_query_the_lowest_rank_counts(n: int, d: int, levels: int, city: bool, seed: int) -> None:
    rng = np.random.default_rng(seed)
    boxes = BoxTree(rng.integers(0, levels, size=(d, n)).astype(float), np.zeros(n), city=city)
    rank, queries = rng.permutation(n), rng.integers(-2, levels + 2, size=(d, 20)).astype(float)
    found, value = boxes.nearest_of(queries, rank)
    for index, query in enumerate(queries.T):
        apart = _apart(boxes, query)
        assert value[index] == apart.min()
        assert rank[found[index]] == rank[apart == apart.min()].min()
