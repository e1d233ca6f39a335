"""Valleys between segments, and the groups that they keep apart."""

import numpy as np
import pytest

from gauger.algorithms.diagnostics.valleys import Valleys
from gauger.choosing.evidence import DEEP


def _halves(values: np.ndarray) -> Valleys:
    return Valleys(values, (values[:, 0] > np.median(values[:, 0])).astype(np.int32), 2, least=5)


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
    assert Valleys(values, codes, 2, least=5).shallowest > DEEP


def test_long_groups_side_by_side_are_told_apart_across_their_length() -> None:
    rng = np.random.default_rng(2)
    values = rng.normal(size=(600, 2)) * [10.0, 1.0] + np.repeat([[0.0, 0.0], [4.0, 6.0]], 300, axis=0)
    assert Valleys(values, np.repeat([0, 1], 300), 2, least=5).shallowest > DEEP


def test_segments_too_small_to_say_count_as_joined() -> None:
    values = np.concatenate([np.zeros((50, 1)), np.ones((3, 1))])
    assert Valleys(values, np.repeat([0, 1], [50, 3]), 2, least=5).shallowest == 0.0


def test_merging_joins_the_pieces_of_a_group_first() -> None:
    rng = np.random.default_rng(3)
    values = np.sort(np.concatenate([rng.normal(size=300), rng.normal(size=300) + 12.0]))[:, None]
    codes = np.repeat([0, 1, 2, 3], 150)
    valleys = Valleys(values, codes, 4, least=5)
    steps = list(valleys.merging())
    assert [count for count, _, _ in steps] == [4, 3, 2]
    assert steps[-1][1] > DEEP
    assert (steps[-1][2] == np.repeat([0, 1], 300)).all()
    assert valleys.linked(DEEP) == 2
    assert (codes == np.repeat([0, 1, 2, 3], 150)).all()
