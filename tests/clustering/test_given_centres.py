"""Where k-means starts: seeds that lie apart, rows as they stand, and centres that were given."""

from collections.abc import Callable

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.algorithms.kmeans.seeding import first_rows, seed_plusplus, seed_randomly
from gauger.clustering.ordering import order_customers
from gauger.errors import GaugerError, SettingError

Make = Callable[..., gauger.FeatureSet]


def test_plusplus_draws_distinct_rows_and_far_ones_first(features_of: Make) -> None:
    customers = order_customers(features_of([[0.0], [1.0], [100.0]] * 40))
    for seed in range(20):
        assert sorted(seed_plusplus(customers, 3, np.random.default_rng(seed))[:, 0]) == [0.0, 1.0, 100.0]
    pairs = [seed_plusplus(customers, 2, np.random.default_rng(seed)) for seed in range(100)]
    assert sum(abs(float(pair[0, 0] - pair[1, 0])) > 50 for pair in pairs) > 97


def test_random_seeds_are_distinct_rows_each_as_likely(features_of: Make) -> None:
    customers = order_customers(features_of([[0.0]] * 50 + [[1.0], [2.0]]))
    drawn = [seed_randomly(customers, 1, np.random.default_rng(seed))[0, 0] for seed in range(600)]
    assert np.bincount(np.array(drawn, dtype=int)).min() > 150
    assert sorted(seed_randomly(customers, 3, np.random.default_rng(0))[:, 0]) == [0.0, 1.0, 2.0]


def test_the_first_rows_are_those_of_the_table(features_of: Make) -> None:
    customers = order_customers(features_of([[5.0], [5.0], [3.0], [9.0], [1.0]]))
    assert first_rows(customers, 3)[:, 0].tolist() == [5.0, 3.0, 9.0]


@pytest.fixture
def table() -> pd.DataFrame:
    values = np.random.default_rng(0).normal(size=(60, 2)) + np.repeat(
        [[0.0, 0.0], [9.0, 0.0], [0.0, 30.0]], 20, axis=0
    )
    return pd.DataFrame(values, columns=["visits", "spend"]).assign(who=range(60))


def test_given_centres_lead_to_the_same_segments_in_every_guise(table: pd.DataFrame) -> None:
    features = gauger.prepare(table, key="who")
    original = pd.DataFrame({"spend": [0.0, 0.0, 30.0], "visits": [0.0, 9.0, 0.0]})
    by_frame = gauger.segment_by_kmeans(features, 3, seeding=original)
    by_array = gauger.segment_by_kmeans(features, 3, seeding=features.treat(original))
    again = gauger.segment_by_kmeans(features, 3, seeding=by_frame)
    elsewhere = gauger.prepare(table, key="who", scale="minmax", features=["spend", "visits"])
    carried = gauger.segment_by_kmeans(elsewhere, 3, seeding=by_frame)
    for other in (by_array, again, carried):
        assert (other.codes == by_frame.codes).all()
    assert again.history is not None
    assert again.history["moved"].tolist()[1:] == [0] * (again.iterations - 1)
    assert by_frame.starts["seeding"].tolist() == ["given"]


@pytest.mark.parametrize(
    ("seeding", "message"),
    [
        ("best", "seeding='best' must be one of kmeans\\+\\+, random and first, or centres"),
        (np.zeros((2, 2)), "have shape \\(2, 2\\): 3 segments by 2 features need \\(3, 2\\)"),
        (np.zeros((3, 1)), "have shape \\(3, 1\\)"),
        (np.array([[0.0, 1.0], [np.nan, 2.0], [3.0, 3.0]]), "given centre 2 is not all numbers"),
        (np.array([[0.0, 1.0], [0.0, 1.0], [3.0, 3.0]]), "two of the given centres are equal"),
        (pd.DataFrame({"visits": [1, 2, 3]}), "lack the feature spend; they have visits"),
        (pd.DataFrame({"visits": [1, 2, 3], "spend": ["a", "b", "c"]}), "the given centres are not all numbers"),
        ([["a", "b"]] * 3, "the given centres are not all numbers"),
    ],
)
def test_impossible_centres_are_refused(table: pd.DataFrame, seeding: object, message: str) -> None:
    with pytest.raises(GaugerError, match=message):
        gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 3, seeding=seeding)


def test_a_segmentation_by_other_features_cannot_seed(table: pd.DataFrame) -> None:
    one = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits"]), 3)
    with pytest.raises(SettingError, match="has the features visits, not visits and spend"):
        gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 3, seeding=one)
