"""Ties are spread for what measures density, and copies of a customer are placed together."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from naive_density import features_of

import gauger
from gauger.clustering.ordering import order_customers
from gauger.clustering.spread_ties import stand_ins, without_ties


def _households(seed: int, customers: int = 1_500) -> gauger.FeatureSet:
    """One cloud: days since the last visit, whole, and the visits, both on the scale of logarithms."""
    rng = np.random.default_rng(seed)
    days = np.ceil(np.exp(rng.normal(3.0, 1.2, customers)))
    visits = 1.0 + np.floor(rng.gamma(1.5, 6.0, customers))
    return features_of(np.log1p(np.column_stack([days, visits])))


@pytest.mark.parametrize("seed", [0, 1, 2])
def test_whole_days_on_a_scale_of_logarithms_make_no_groups(seed: int) -> None:
    features = _households(seed)
    assert gauger.segment_by_density_levels(features).count == 1
    study = gauger.study_radius(features)
    assert (study.groups, study.advice.verdict) == (1, "no structure")
    assert "not-round" not in {remark.code for remark in gauger.segment_by_kmeans(features, 3, starts=1).remarks}


def test_groups_of_whole_days_that_lie_apart_are_still_found() -> None:
    rng = np.random.default_rng(3)
    days = np.concatenate([np.round(rng.normal(20.0, 4.0, 400)), np.round(rng.normal(90.0, 6.0, 200))])
    seg = gauger.segment_by_density_levels(features_of(days[:, None]))
    assert seg.count == 2
    assert seg.centres.iloc[:, 0].tolist() == pytest.approx([20.0, 90.0], abs=2.0)


def test_nothing_is_spread_where_nothing_repeats_and_what_is_spread_keeps_its_mean_and_width() -> None:
    rng = np.random.default_rng(4)
    values = np.column_stack([rng.normal(size=200), rng.integers(0, 30, 200), rng.integers(0, 2, 200), np.full(200, 7)])
    everyone = order_customers(features_of(values.astype(float)))
    spread = without_ties(everyone)
    np.testing.assert_array_equal(spread.order, everyone.order)
    np.testing.assert_allclose(spread.columns.mean(axis=1), everyone.columns.mean(axis=1), atol=1e-9)
    np.testing.assert_allclose(spread.columns.std(axis=1), everyone.columns.std(axis=1))
    distinct = sorted(len(np.unique(column)) for column in spread.columns)
    assert distinct == [1, 200, 200, 200]
    np.testing.assert_array_equal(without_ties(everyone).columns, spread.columns)
    kept = [np.allclose(own, other) for own, other in zip(spread.columns, everyone.columns, strict=True)]
    assert sum(kept) == 2


def test_the_copy_in_the_middle_of_the_largest_part_stands_in_for_all() -> None:
    everyone = order_customers(features_of(np.array([[1.0]] * 5 + [[4.0]])))
    first = int(everyone.columns[0, 0] != everyone.columns[0, 1])
    five = np.arange(5) + first
    group, left = np.full(6, -1), np.zeros(6)
    group[five] = [0, 1, 1, 1, 0]
    left[five] = [9.0, 3.0, 1.0, 2.0, 8.0]
    found = stand_ins(everyone, group, left)
    assert set(found[five].tolist()) == {int(five[3])}
    alone = 5 if not first else 0
    assert found[alone] == alone


@given(st.integers(0, 1_000), st.integers(2, 4))
def test_copies_are_in_one_segment_with_the_same_figures(seed: int, smallest: int) -> None:
    rng = np.random.default_rng(seed)
    values = rng.integers(0, 6, size=(60, 2)).astype(float)
    seg = gauger.segment_by_density_levels(features_of(values), smallest, min_points=2)
    table = seg.assignments.assign(a=values[:, 0], b=values[:, 1])
    told = table.groupby(["a", "b"])[["segment", "strength", "outlier_score"]].nunique()
    assert (told == 1).to_numpy().all()
