"""Caliński-Harabasz and Davies-Bouldin from their definitions."""

import math
from collections.abc import Callable

import numpy as np
import pytest

import gauger
from gauger.algorithms.diagnostics.separation import calinski_harabasz, davies_bouldin

Make = Callable[..., gauger.FeatureSet]


def test_they_agree_with_their_definitions(features_of: Make) -> None:
    values = np.random.default_rng(0).normal(size=(60, 3))
    seg = gauger.segment_by_kmeans(features_of(values), 4)
    own = [values[seg.codes == number] for number in seg.numbers]
    centres = [part.mean(axis=0) for part in own]
    within = sum(((part - centre) ** 2).sum() for part, centre in zip(own, centres, strict=True))
    between = sum(
        len(part) * ((centre - values.mean(axis=0)) ** 2).sum() for part, centre in zip(own, centres, strict=True)
    )
    assert calinski_harabasz(seg.wcss, within + between, 4, 60) == pytest.approx((between / 3) / (within / 56))
    widths = [np.linalg.norm(part - centre, axis=1).mean() for part, centre in zip(own, centres, strict=True)]
    worst = [
        max((widths[i] + widths[j]) / np.linalg.norm(centres[i] - centres[j]) for j in range(4) if j != i)
        for i in range(4)
    ]
    assert davies_bouldin(seg.codes, seg.distances, seg.scaled_centres) == pytest.approx(np.mean(worst))


def test_they_are_undefined_for_one_segment_and_infinite_without_spread() -> None:
    assert math.isnan(calinski_harabasz(5.0, 5.0, 1, 9))
    assert math.isnan(calinski_harabasz(0.0, 5.0, 9, 9))
    assert calinski_harabasz(0.0, 5.0, 2, 9) == math.inf
    assert math.isnan(davies_bouldin(np.ones(3, dtype=int), np.zeros(3), np.zeros((1, 2))))


def test_two_segments_overlap_as_worked_by_hand() -> None:
    """Mean distances 1 and 2 to centres that are 6 apart."""
    codes, distances = np.array([1, 1, 2, 2]), np.array([0.5, 1.5, 1.0, 3.0])
    assert davies_bouldin(codes, distances, np.array([[0.0, 0.0], [0.0, 6.0]])) == pytest.approx(0.5)
