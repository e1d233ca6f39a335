"""The evidence on groups: planted groups of many shapes, clouds of many shapes, and what hides groups."""

from collections.abc import Callable

import numpy as np
import pytest

from gauger.algorithms.diagnostics.isolates import isolated
from gauger.choosing.evidence import Evidence, look_for_groups

CORNERS = np.array([[0.0, 0.0], [8.0, 0.0], [0.0, 8.0]])


def _groups(rng: np.random.Generator, sizes: tuple[int, ...] = (150, 150, 150)) -> np.ndarray:
    return np.repeat(CORNERS, sizes, axis=0) + rng.normal(size=(sum(sizes), 2))


def _look(values: np.ndarray) -> Evidence:
    return look_for_groups(values, range(2, 8), (0,))


@pytest.mark.parametrize(
    "change",
    [
        lambda values, _: values,
        lambda values, rng: np.column_stack([values, rng.normal(size=(len(values), 3)) * 3.0]),
        lambda values, rng: np.concatenate([values, rng.standard_t(1.5, size=(6, 2)) * 60.0]),
        lambda values, _: values * [1.0, 1000.0],
        lambda values, _: np.round(values),
    ],
    ids=["plain", "with noise features", "with far customers", "in other units", "in whole numbers"],
)
def test_planted_groups_are_found(change: Callable[..., np.ndarray]) -> None:
    rng = np.random.default_rng(1)
    evidence = _look(change(_groups(rng), rng))
    assert evidence.count == evidence.between_valleys == 3
    assert max(evidence.excess.values()) > 5.0


def test_a_group_of_three_in_a_hundred_is_found() -> None:
    assert _look(_groups(np.random.default_rng(2), (450, 450, 30))).count == 3


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize(
    "cloud",
    [
        lambda rng: rng.normal(size=(400, 4)),
        lambda rng: rng.normal(size=(400, 3)) @ np.array([[1.0, 0.9, 0.0], [0.0, 0.4, 0.0], [0.0, 0.0, 1.0]]),
        lambda rng: rng.uniform(size=(400, 2)),
        lambda rng: rng.standard_t(4, size=(400, 3)),
        lambda rng: np.exp(0.6 * rng.normal(size=(400, 3))),
        lambda rng: rng.poisson(4.0, size=(400, 2)).astype(float),
    ],
    ids=["normal", "correlated", "even", "heavy tails", "skewed", "counts"],
)
def test_one_cloud_is_called_one(cloud: Callable[..., np.ndarray], seed: int) -> None:
    assert _look(cloud(np.random.default_rng(seed))).count == 1


def test_features_that_play_no_part_are_named() -> None:
    rng = np.random.default_rng(3)
    values = np.column_stack(
        [rng.normal(size=(240, 4)) * 9.0, np.repeat(CORNERS, 80, axis=0) / 2 + rng.normal(size=(240, 2))]
    )
    evidence = _look(values)
    assert evidence.count == 3
    assert set(evidence.idle) <= {0, 1, 2, 3}


def test_isolated_customers_are_set_aside_and_others_are_not() -> None:
    rng = np.random.default_rng(4)
    values = np.concatenate([rng.normal(size=(300, 2)), [[40.0, 0.0], [0.0, -50.0]]])
    assert np.flatnonzero(isolated(values)).tolist() == [300, 301]
    assert not isolated(np.zeros((40, 2))).any()
    assert not isolated(np.array([[0.0], [99.0]])).any()


@pytest.mark.parametrize("values", [np.zeros((30, 2)), np.array([[0.0], [1.0], [0.0], [1.0]]), np.array([[1.0]])])
def test_tables_of_hardly_any_difference_have_an_answer(values: np.ndarray) -> None:
    assert _look(values).count in (1, 2)
