"""Who moves the centres: weights and samples."""

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import SettingError
from tests.examples import examples

Make = Callable[..., gauger.FeatureSet]


@examples(25)
@given(st.integers(0, 10_000))
def test_a_weight_counts_as_that_many_customers(seed: int) -> None:
    rng = np.random.default_rng(seed)
    values, times = rng.normal(size=(40, 2)), rng.integers(0, 4, size=40)
    times[:4] = 1
    weighted = gauger.segment_by_kmeans(_features(values), 3, customer_weights=times, seeding=values[:3])
    repeated = gauger.segment_by_kmeans(_features(np.repeat(values, times, axis=0)), 3, seeding=values[:3])
    np.testing.assert_allclose(np.sort(weighted.scaled_centres, axis=0), np.sort(repeated.scaled_centres, axis=0))
    assert weighted.wcss == pytest.approx(repeated.wcss)
    assert weighted.explained == pytest.approx(repeated.explained)
    assert weighted.sizes.sum() == 40


def _features(values: np.ndarray) -> gauger.FeatureSet:
    import pandas as pd

    table = pd.DataFrame(values, columns=["a", "b"]).assign(who=range(len(values)))
    return gauger.prepare(table, key="who", scale="none")


def test_customers_of_weight_zero_move_nothing_and_are_assigned(features_of: Make) -> None:
    seg = gauger.segment_by_kmeans(
        features_of([[0.0], [1.0], [10.0], [11.0], [500.0]]), 2, customer_weights=[1, 1, 1, 1, 0]
    )
    assert sorted(seg.scaled_centres[:, 0]) == [0.5, 10.5]
    assert seg.codes[4] == seg.codes[3]


@pytest.mark.parametrize("learn_on", [2_000, 0.1])
def test_learning_on_a_sample_assigns_everyone_and_says_how_far_another_would_lead(
    features_of: Make, learn_on: float
) -> None:
    rng = np.random.default_rng(0)
    truth = rng.integers(3, size=20_000)
    features = features_of(np.array([[0.0, 0.0], [9.0, 0.0], [0.0, 9.0]])[truth] + rng.normal(size=(20_000, 2)))
    seg = gauger.segment_by_kmeans(features, 3, learn_on=learn_on)
    full = gauger.segment_by_kmeans(features, 3, seeding=seg)
    assert len(seg.codes) == 20_000
    assert (seg.codes == full.codes).mean() > 0.999
    (remark,) = [remark for remark in seg.remarks if remark.code == "learned-on-sample"]
    assert "learned on 2,000 of 20,000 customers" in remark.text
    assert "working scale" in remark.text
    squares = ((features.values[:, None] - seg.scaled_centres) ** 2).sum(axis=2)
    assert (squares.argmin(axis=1) + 1 == seg.codes).all()


def test_a_sample_is_drawn_from_those_who_count_and_said(features_of: Make) -> None:
    values = np.random.default_rng(2).normal(size=(400, 2))
    weights = np.repeat([1.0, 0.0], [300, 100])
    seg = gauger.segment_by_kmeans(features_of(values), 2, customer_weights=weights, learn_on=100)
    assert [remark.code for remark in seg.remarks] == ["learned-on-sample"]
    assert not gauger.segment_by_kmeans(features_of(values), 2, customer_weights=weights).remarks


def test_a_sample_of_everyone_is_everyone(features_of: Make) -> None:
    features = features_of(np.random.default_rng(1).normal(size=(50, 2)))
    assert not gauger.segment_by_kmeans(features, 2, learn_on=50).remarks


@pytest.mark.parametrize(
    ("settings", "message"),
    [
        ({"customer_weights": [1, 1, 1]}, "customer_weights have shape \\(3,\\), for 4 customers: give one each"),
        ({"customer_weights": [1, -2, 1, 1]}, "customer_weights must be 0 or more; the one of customer 2 is -2"),
        ({"customer_weights": [1, np.nan, 1, 1]}, "the one of customer 2 is nan"),
        ({"customer_weights": [0, 0, 0, 0]}, "every weight is 0"),
        ({"customer_weights": ["a"] * 4}, "customer_weights must be numbers"),
        ({"customer_weights": [1, 0, 0, 0]}, "only 1 distinct combination"),
        ({"learn_on": 0}, "learn_on=0"),
        ({"learn_on": 2.5}, "learn_on=2.5 must be a whole number"),
        ({"learn_on": "all"}, "learn_on='all' must be a number of customers, or a share"),
        ({"learn_on": True}, "learn_on=True"),
        ({"learn_on": 1}, "only 1 distinct combination"),
    ],
)
def test_impossible_weights_and_samples_are_refused(features_of: Make, settings: dict, message: str) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.segment_by_kmeans(features_of([[1.0], [2.0], [3.0], [4.0]]), 2, **settings)
