"""Valleys between segments, and the groups that they keep apart."""

import numpy as np
import pytest

from gauger.algorithms.diagnostics import DEEP, SmoothTable, Valleys, joined, smooth_table
from gauger.algorithms.diagnostics.valleys import _level_scores, shallow_from, shallowest_neighbours


def _table(values: np.ndarray, levels: np.ndarray | None = None, draws: int = 1) -> SmoothTable:
    own = np.empty((len(values), 0), dtype=np.intp) if levels is None else levels
    return smooth_table(values, own, draws, np.random.default_rng(0))


def _halves(values: np.ndarray) -> Valleys:
    return Valleys(_table(values), (values[:, 0] > np.median(values[:, 0])).astype(np.int32), 2, least=5)


@pytest.mark.parametrize("seed", range(5))
def test_one_cloud_cut_in_two_has_no_valley_and_two_groups_have_one(seed: int) -> None:
    rng = np.random.default_rng(seed)
    cloud = rng.normal(size=(400, 3))
    assert _halves(cloud).shallowest < 0.36
    assert _halves(rng.uniform(size=(400, 3))).shallowest < DEEP
    assert _halves(cloud + np.repeat([[0.0, 0, 0], [5.0, 0, 0]], 200, axis=0)).shallowest > DEEP


def test_a_small_group_beside_a_large_one_is_heard() -> None:
    rng = np.random.default_rng(1)
    values = np.concatenate([rng.normal(size=(900, 2)), rng.normal([7.0, 0.0], size=(40, 2))])
    codes = np.repeat([0, 1], [900, 40])
    assert Valleys(_table(values), codes, 2, least=5).shallowest > DEEP


def test_long_groups_side_by_side_are_told_apart_across_their_length() -> None:
    rng = np.random.default_rng(2)
    values = rng.normal(size=(600, 2)) * [10.0, 1.0] + np.repeat([[0.0, 0.0], [4.0, 6.0]], 300, axis=0)
    assert Valleys(_table(values), np.repeat([0, 1], 300), 2, least=5).shallowest > DEEP


def test_segments_too_small_to_say_count_as_joined() -> None:
    values = np.concatenate([np.zeros((50, 1)), np.ones((3, 1))])
    assert Valleys(_table(values), np.repeat([0, 1], [50, 3]), 2, least=5).shallowest == 0.0


def test_the_values_of_a_flag_and_the_levels_of_a_category_make_no_valley_but_several_that_agree_do() -> None:
    rng = np.random.default_rng(4)
    groups = np.repeat([0, 1], 400)
    flags = (rng.random((800, 4)) < np.where(groups, 0.9, 0.1)[:, None]).astype(float)
    assert Valleys(_table(flags[:, :1]), flags[:, 0].astype(int), 2, least=5).shallowest < 0.45
    assert Valleys(_table(flags), groups, 2, least=5).shallowest > DEEP
    levels = np.where(rng.random((800, 3)) < 0.9, groups[:, None] * 2 + rng.integers(0, 2, (800, 3)), 1)
    nothing = np.empty((800, 0))
    assert Valleys(_table(nothing, levels[:, :1]), (levels[:, 0] > 1).astype(int), 2, least=5).shallowest < 0.45
    assert Valleys(_table(nothing, levels), groups, 2, least=5).shallowest > DEEP


def test_merging_joins_the_pieces_of_a_group_first() -> None:
    rng = np.random.default_rng(3)
    values = np.sort(np.concatenate([rng.normal(size=300), rng.normal(size=300) + 12.0]))[:, None]
    codes = np.repeat([0, 1, 2, 3], 150)
    valleys = Valleys(_table(values), codes, 4, least=5)
    steps = list(valleys.merging())
    assert [count for count, _, _ in steps] == [4, 3, 2]
    assert steps[-1][1] > DEEP
    assert (steps[-1][2] == np.repeat([0, 1], 300)).all()
    left, home = joined(valleys.depths, DEEP)
    assert left == 2
    assert home[0] == home[1] != home[2] == home[3]
    assert (codes == np.repeat([0, 1, 2, 3], 150)).all()


def test_the_shallowest_valley_is_found_among_neighbours_and_early() -> None:
    rng = np.random.default_rng(5)
    centres = np.array([[0.0, 0.0], [9.0, 0.0], [0.0, 9.0], [1.5, 0.0]])
    codes = np.repeat([0, 1, 2, 3], 100)
    table = _table(centres[codes] + rng.normal(size=(400, 2)), draws=2)
    depths = Valleys(table, codes, 4, least=5).depths + np.diag([np.inf] * 4)
    assert shallowest_neighbours(table, codes, centres, 5) == pytest.approx(depths.min(axis=1).tolist())
    assert shallow_from(table, codes, centres, 5, enough=0.0) == pytest.approx(depths.min())
    assert shallow_from(table, codes, centres, 5, enough=0.6) == pytest.approx(depths[0, 3])
    assert shallow_from(table, codes, centres, 101, enough=0.6) == 0.0


def test_levels_are_in_the_order_of_their_lean_however_few_have_them() -> None:
    """Of level 0 all are in the first segment, of level 1 two in three, of level 2 none."""
    levels = np.array([0, 1, 1, 1, 2, 2])[:, None]
    scores = _level_scores(_table(np.zeros((6, 0)), levels), np.arange(3), np.arange(3, 6), 0)[:, 0]
    assert scores[0] < scores[[1, 2, 3]].min()
    assert scores[[1, 2, 3]].max() < scores[[4, 5]].min()
