"""The survey of counts: which are measured, what clouds are like, and silhouettes of joined segments."""

import numpy as np
import pytest

from gauger.algorithms.diagnostics.silhouettes import silhouettes_from_sums
from gauger.choosing.group_table import GroupTable
from gauger.choosing.survey import CLOUDS, Survey, _Silhouettes


def _survey(values: np.ndarray) -> Survey:
    return Survey(GroupTable(values, np.arange(len(values))), (1, 2))


def test_no_count_is_measured_that_leaves_segments_alike() -> None:
    """Of five distinct customers up to four segments are measured, and clouds are counted though none is looked at."""
    five = np.repeat(np.random.default_rng(0).normal(size=(5, 2)), 20, axis=0)
    steps: list[int] = []
    survey = _survey(five)
    distinct = len(np.unique(survey._points, axis=0))
    assert list(survey.measure(2, 8, steps.append)) == [*range(2, distinct)]
    assert list(survey.measure(2, 3, steps.append)) == [2, 3][: distinct - 2]
    assert sum(steps) == 2 * CLOUDS
    assert survey.measure(distinct, 9, steps.append) == {}
    assert sum(steps) == 3 * CLOUDS


def test_of_one_cloud_the_valleys_are_those_of_clouds_and_the_silhouettes_hardly_above() -> None:
    found = _survey(np.random.default_rng(4).normal(size=(500, 2))).measure(2, 4, lambda _: None)
    for count, signs in found.items():
        assert 0.0 < signs.clouds.depth[0] < 0.35
        assert signs.clouds.shallowest[0] <= signs.clouds.depth[0]
        assert signs.clouds.silhouette[1] >= 0.004
        assert min(signs.clouds.depth[1], signs.clouds.shallowest[1]) >= 0.03
        assert abs(signs.excess) < 4.0, count
        assert signs.own.count == signs.depths.shape[0] == count


def test_silhouettes_of_joined_segments_are_those_of_the_segments_joined_first() -> None:
    rng = np.random.default_rng(5)
    points, codes = rng.normal(size=(60, 2)), rng.integers(0, 4, 60)
    joined = np.array([0, 1, 1, 2])[codes]
    rows = np.arange(0, 60, 2)
    found = _Silhouettes(points, rows).means(codes, [codes, joined])
    apart = np.sqrt(((points[rows, None] - points[None, rows]) ** 2).sum(axis=2))
    for mean, own in zip(found, (codes[rows], joined[rows]), strict=True):
        count = own.max() + 1
        sums = apart @ np.equal.outer(own, np.arange(count)).astype(float)
        assert mean == pytest.approx(silhouettes_from_sums(sums, own, np.bincount(own, minlength=count)).mean())
