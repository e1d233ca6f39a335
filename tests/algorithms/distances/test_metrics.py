"""Every metric against its formula, written out."""

from itertools import pairwise

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.algorithms.distances.given import given_geometry
from gauger.algorithms.distances.metrics import METRICS, MetricSettings, geometry

RNG = np.random.default_rng(17)
ROWS = RNG.normal(size=(9, 6))


def lagged(x, y, lag):
    best = -1.0
    for shift in range(-lag, lag + 1):
        one, other = (x[shift:], y[: len(y) - shift]) if shift >= 0 else (x[:shift], y[-shift:])
        if len(one) >= 3:
            best = max(best, np.corrcoef(one, other)[0, 1])
    return 1.0 - best


def dtw(x, y, band):
    n = len(x)
    cost = np.full((n, n), np.inf)
    for i in range(n):
        for j in range(n):
            if abs(i - j) > band:
                continue
            before = [cost[a, b] for a, b in ((i - 1, j), (i, j - 1), (i - 1, j - 1)) if a >= 0 and b >= 0]
            cost[i, j] = (x[i] - y[j]) ** 2 + (min(before) if before else 0.0)
    return np.sqrt(cost[-1, -1])


def zscored(x):
    return (x - x.mean()) / x.std()


COVARIANCE = np.linalg.inv(np.cov(ROWS, rowvar=False))
FORMULAS = {
    "euclidean": lambda x, y: np.sqrt(((x - y) ** 2).sum()),
    "squared_euclidean": lambda x, y: ((x - y) ** 2).sum(),
    "city_block": lambda x, y: np.abs(x - y).sum(),
    "chebyshev": lambda x, y: np.abs(x - y).max(),
    "minkowski": lambda x, y: (np.abs(x - y) ** 4).sum() ** 0.25,
    "canberra": lambda x, y: (np.abs(x - y) / (np.abs(x) + np.abs(y))).sum(),
    "cosine": lambda x, y: 1.0 - x @ y / np.sqrt((x @ x) * (y @ y)),
    "correlation": lambda x, y: 1.0 - np.corrcoef(x, y)[0, 1],
    "mahalanobis": lambda x, y: np.sqrt((x - y) @ COVARIANCE @ (x - y)),
    "dtw": lambda x, y: dtw(x, y, 2),
    "dtw_zscored": lambda x, y: dtw(zscored(x), zscored(y), 2),
    "lagged_correlation": lambda x, y: lagged(x, y, 2),
}


@pytest.mark.parametrize("name", METRICS)
def test_each_metric_is_its_formula(name):
    made = geometry(name, ROWS, MetricSettings(p=4.0, band=2, lag=2), range(9))
    found = made.between(np.arange(5), np.arange(3, 9))
    truth = [[FORMULAS[name](ROWS[i], ROWS[j]) for j in range(3, 9)] for i in range(5)]
    np.testing.assert_allclose(found, truth, atol=1e-12)


@given(st.integers(1, 12), st.integers(0, 11), st.integers(0, 500))
def test_dtw_falls_as_the_band_widens_and_begins_at_the_euclidean(periods, band, seed):
    x, y = np.random.default_rng(seed).normal(size=(2, 1, periods))
    band = min(band, periods - 1)
    found = [
        float(
            geometry("dtw", np.vstack([x, y]), MetricSettings(band=b), "xy").between(np.array([0]), np.array([1]))[0, 0]
        )
        for b in range(band + 1)
    ]
    assert found[0] == pytest.approx(np.sqrt(((x - y) ** 2).sum()))
    assert all(after <= before + 1e-12 for before, after in pairwise(found))


def test_a_series_is_near_to_itself_delayed_under_dtw_and_lagged_distance():
    weeks = np.arange(40.0)
    wave, later = np.sin(weeks / 4.0), np.sin((weeks - 2.0) / 4.0)
    rows = np.vstack([wave, later, np.cos(weeks)])
    for name in ("dtw", "lagged_correlation"):
        apart = geometry(name, rows, MetricSettings(band=3, lag=3), "abc").between(np.arange(3), np.arange(3))
        assert apart[0, 1] < 0.2 * apart[0, 2]


def test_gower_takes_measures_flags_and_categories_with_gaps():
    table = pd.DataFrame(
        {
            "who": ["ann", "bob", "cai", "dee"],
            "age": [20.0, 40.0, np.nan, 60.0],
            "club": [1, 0, 1, 1],
            "area": ["north", "south", "north", "east"],
        }
    )
    features = gauger.prepare(
        table, key="who", features=["age", "club"], categories=["area"], missing={"age": "median"}
    )
    tree = gauger.build_tree(features, metric="gower")
    apart = tree.distances.between(np.arange(4), np.arange(4))
    indicators = np.asarray(tree.distances.points)[:, 2:]
    assert np.sqrt(((indicators[0] - indicators[[1, 2]]) ** 2).sum(axis=1)) == pytest.approx([1.0, 0.0])
    by_hand = {
        (0, 1): (20 / 40 + 1 + 1) / 3,
        (0, 2): (0 + 0) / 2,
        (0, 3): (1 + 0 + 1) / 3,
        (1, 2): (1 + 1) / 2,
        (1, 3): (20 / 40 + 1 + 1) / 3,
        (2, 3): (0 + 1) / 2,
    }
    for (one, other), truth in by_hand.items():
        assert apart[one, other] == pytest.approx(truth)
        assert apart[other, one] == pytest.approx(truth)


@pytest.mark.parametrize("weight", [0.01, 1.0, 100.0])
def test_gower_heeds_the_weight_of_a_category(weight: float) -> None:
    table = pd.DataFrame({"who": range(4), "spend": [0.0, 10.0, 0.0, 5.0], "area": list("nnss")})
    features = gauger.prepare(table, key="who", categories=["area"], weight={"area": weight})
    merges = gauger.build_tree(features, linkage="single", metric="gower").merges
    apart = sorted(
        {weight / (1.0 + weight), (0.5 + weight) / (1.0 + weight), 1.0 / (1.0 + weight), 0.5 / (1.0 + weight)}
    )
    assert merges["height"].min() == pytest.approx(apart[0])


def test_gower_refuses_two_customers_with_nothing_in_common():
    table = pd.DataFrame({"who": ["ann", "bob"], "age": [20.0, np.nan], "spend": [np.nan, 3.0]})
    features = gauger.prepare(table, key="who", missing="median")
    with pytest.raises(gauger.GaugerError, match=r"ann and bob have no feature with a value for both"):
        gauger.build_tree(features, metric="gower")


@pytest.fixture
def three():
    return gauger.prepare(pd.DataFrame({"who": ["ann", "bob", "cai"], "x": [1.0, 2.0, 5.0]}), key="who")


def test_a_given_matrix_may_be_square_condensed_or_by_key(three):
    square = np.array([[0.0, 2.0, 7.0], [2.0, 0.0, 4.0], [7.0, 4.0, 0.0]])
    by_key = pd.DataFrame(square, index=three.keys, columns=three.keys)
    for given_distances in (square, [2.0, 7.0, 4.0], by_key.loc[["cai", "ann", "bob"], ["bob", "cai", "ann"]]):
        tree = gauger.build_tree(three, linkage="complete", metric=given_distances)
        assert tree.merges["height"].tolist() == [2.0, 7.0]
        assert tree.cut(count=2).codes.tolist() == [1, 1, 2]


def test_a_matrix_by_other_keys_is_refused(three):
    with pytest.raises(gauger.GaugerError, match="the customers' keys as its index"):
        gauger.build_tree(three, linkage="complete", metric=pd.DataFrame(np.zeros((3, 3))))


@pytest.mark.parametrize(
    ("matrix", "words"),
    [
        ([[0, 1, 2], [1, 0, np.nan], [2, np.nan, 0]], "from bob to cai is no finite number"),
        ([[0, 1, 2], [1, 0, -3], [2, -3, 0]], r"from bob to cai is below 0 \(-3\)"),
        ([[0, 1, 2], [1, 0, 3], [2, 4, 0]], "from bob to cai differs from the one the other way round"),
        ([[1, 0, 0], [0, 1, 0], [0, 0, 1]], r"ann from itself is 1, not 0. Are these likenesses"),
        ([1.0, 2.0], r"shape \(2,\); 3 need a square matrix \(3, 3\) or a condensed one of 3"),
        ([["a", "b"]], "not all numbers"),
    ],
)
def test_a_matrix_that_is_none_is_refused(three, matrix, words):
    with pytest.raises(gauger.GaugerError, match=words):
        given_geometry(matrix, three.keys.tolist())


def test_minkowski_of_exponent_one_is_city_block_and_less_is_refused():
    found = geometry("minkowski", ROWS, MetricSettings(p=1), range(9)).between(np.arange(9), np.arange(9))
    city = geometry("city_block", ROWS, MetricSettings(), range(9)).between(np.arange(9), np.arange(9))
    np.testing.assert_allclose(found, city)
    for p in (np.nextafter(1.0, 0.0), np.inf, np.nan, True, "2"):
        with pytest.raises(ValueError, match="must be a number from 1 up"):
            geometry("minkowski", ROWS, MetricSettings(p=p), range(9))


def test_a_stretch_of_zeros_matches_nothing_at_its_lag():
    rows = np.array([[0.0, 0.0, 0.0, 0.0, 3.0], [1.0, 2.0, 4.0, 8.0, 5.0]])
    apart = geometry("lagged_correlation", rows, MetricSettings(lag=1), "ab").between(np.arange(2), np.arange(2))
    assert apart[0, 1] == pytest.approx(lagged_without_constants(*rows, 1))


def lagged_without_constants(x, y, lag):
    best = -1.0
    for shift in range(-lag, lag + 1):
        one, other = (x[shift:], y[: len(y) - shift]) if shift >= 0 else (x[:shift], y[-shift:])
        if np.ptp(one) > 0:
            best = max(best, np.corrcoef(one, other)[0, 1])
    return 1.0 - best
