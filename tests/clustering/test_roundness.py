"""The remark on groups that k-means cannot follow: said of rings and bands, never of round groups."""

import numpy as np
import pandas as pd
import pytest
from naive_density import features_of

import gauger
from benchmarks.odd_shapes import make_shape


def _codes(points: np.ndarray, count: int) -> list[str]:
    remarks = gauger.segment_by_kmeans(features_of(points), count).remarks
    return [remark.code for remark in remarks if remark.code == "not-round"]


@pytest.mark.parametrize(("shape", "count"), [("crescents", 2), ("bands", 3), ("bands", 4)])
def test_segments_that_cut_and_mix_groups_are_remarked(shape: str, count: int) -> None:
    points, _ = make_shape(shape, noise=0.05, seed=1, customers=900)
    stretched = points * (1.0, 1.0 if shape == "crescents" else 0.4)
    assert _codes(stretched, count) == ["not-round"]


@pytest.mark.slow
def test_k_means_says_it_of_the_homes_and_the_count_study_names_their_count() -> None:
    table = gauger.read_table(gauger.demo_file("homes.csv"))
    homes = gauger.prepare(table, key="home_id", scale="none")
    advice = gauger.study_counts(homes, counts=range(1, 7), resamples=2).advice
    assert advice.verdict == "leaning"
    assert 4 in (advice.count, *advice.alternatives)
    (remark,) = (one for one in gauger.segment_by_kmeans(homes, 4).remarks if one.code == "not-round")
    assert "4 groups whose shape k-means cannot follow" in remark.text
    assert "adjusted Rand 0.60" in remark.text


def test_one_segment_around_two_rings_is_remarked() -> None:
    points, _ = make_shape("rings", seed=2, customers=600)
    assert _codes(points, 1) == ["not-round"]


@pytest.mark.parametrize("count", [2, 4, 8])
def test_fewer_or_more_segments_than_round_groups_are_no_contradiction(count: int) -> None:
    rng = np.random.default_rng(3)
    corners = np.array([[0.0, 0.0], [9.0, 0.0], [0.0, 9.0], [9.0, 9.0]])
    points = corners[rng.integers(0, 4, size=800)] + rng.normal(size=(800, 2))
    assert _codes(points, count) == []


def test_one_cloud_few_customers_and_many_features_say_nothing() -> None:
    rng = np.random.default_rng(4)
    assert _codes(rng.normal(size=(600, 3)), 3) == []
    assert _codes(rng.normal(size=(7, 2)), 2) == []
    apart = rng.normal(size=(400, 9)) + 50.0 * rng.integers(0, 2, size=(400, 1))
    assert _codes(apart, 3) == []


def test_the_demo_members_are_round_enough(demo_features: gauger.FeatureSet) -> None:
    seg = gauger.segment_by_kmeans(demo_features, 6)
    assert "not-round" not in {remark.code for remark in seg.remarks}


def test_tied_whole_numbers_are_no_dense_groups() -> None:
    for seed in range(4):
        rng = np.random.default_rng(seed)
        days, orders = np.ceil(rng.exponential(30.0, 1_500)), rng.poisson(4.0, 1_500) + 1
        table = pd.DataFrame({"who": range(1_500), "recency_days": days, "orders": orders})
        seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", transform="log"), 4)
        assert "not-round" not in {remark.code for remark in seg.remarks}


def test_customers_entered_many_times_are_no_dense_groups() -> None:
    rng = np.random.default_rng(5)
    points = np.repeat(rng.normal(size=(150, 3)), rng.integers(1, 21, size=150), axis=0)
    assert _codes(points, 1) == []
