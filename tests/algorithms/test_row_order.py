"""The order of rows: tied to what they hold, and nothing else."""

from collections.abc import Callable

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.algorithms import row_order
from gauger.algorithms.kmeans.coreset import coreset
from gauger.clustering import order_customers

Make = Callable[..., gauger.FeatureSet]


@given(st.integers(0, 10_000))
def test_the_order_of_rows_and_features_does_not_change_a_bit_of_it(seed: int) -> None:
    rng = np.random.default_rng(seed)
    table = pd.DataFrame(rng.integers(0, 5, size=(40, 3)) * 0.37, columns=["b", "c", "a"]).assign(who=range(40))
    turned = table.iloc[rng.permutation(40)][["a", "who", "c", "b"]]
    one, other = (order_customers(gauger.prepare(rows, key="who")) for rows in (table, turned))
    assert one.columns.tobytes() == other.columns.tobytes()


def test_it_leads_back_to_the_customers_and_features(features_of: Make) -> None:
    features = features_of(np.random.default_rng(0).normal(size=(50, 4)))
    arranged = order_customers(features)
    assert (arranged.columns == features.values[arranged.order][:, arranged.column_order].T).all()
    centres = np.arange(8.0).reshape(2, 4)
    assert (arranged.outwards(arranged.inwards(centres)) == centres).all()


def test_equal_customers_stand_together_and_count_once(features_of: Make) -> None:
    values = np.random.default_rng(1).integers(0, 3, size=(200, 2)).astype(float)
    values[values == 0.0] = -0.0
    assert len(order_customers(features_of(values)).distinct()) == len(np.unique(values, axis=0))


def test_customers_that_share_a_hash_are_told_apart(features_of: Make, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(row_order, "_mix", lambda *_: None)
    values = np.random.default_rng(2).integers(0, 3, size=(60, 2)).astype(float)
    assert len(order_customers(features_of(values)).distinct()) == len(np.unique(values, axis=0))


def test_a_coreset_keeps_the_sum_of_squares_and_far_customers(features_of: Make) -> None:
    rng = np.random.default_rng(3)
    values = rng.normal(size=(20_000, 2))
    values[:3] += 400.0
    everyone = order_customers(features_of(values))
    spread = float(((values - values.mean(axis=0)) ** 2).sum())
    sums = []
    for _ in range(20):
        part = coreset(everyone, 1_000, rng)
        assert (part.columns > 100.0).any()
        middle = everyone.columns.mean(axis=1, keepdims=True)
        sums.append(float((part.weights * ((part.columns - middle) ** 2).sum(axis=0)).sum()))
    assert abs(np.mean(sums) / spread - 1.0) < 0.02
