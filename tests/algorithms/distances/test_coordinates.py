"""Principal coordinates: points come back from their distances, and what is no distance is left out."""

import numpy as np
import pytest
from scipy.spatial.distance import cdist

from gauger.algorithms.distances.coordinates import principal_coordinates


def test_points_come_back_up_to_turning() -> None:
    points = np.random.default_rng(0).normal(size=(30, 3)) * [4.0, 2.0, 1.0]
    apart = cdist(points, points)
    found = principal_coordinates(apart, 3)
    np.testing.assert_allclose(cdist(found, found), apart, atol=1e-9)
    assert np.all(np.diff(found.var(axis=0)) < 0.0)
    assert (found[np.abs(found).argmax(axis=0), range(3)] > 0.0).all()


def test_narrow_directions_and_impossible_ones_are_left_out() -> None:
    line = np.arange(10.0)[:, None]
    assert principal_coordinates(cdist(line, line), 4).shape == (10, 1)
    points = np.random.default_rng(1).normal(size=(40, 2)) * [10.0, 0.5]
    assert principal_coordinates(cdist(points, points), 2, least_share=0.05).shape == (40, 1)
    assert principal_coordinates(np.zeros((4, 4)), 2) == pytest.approx(np.zeros((4, 1)))
