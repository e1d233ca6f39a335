"""What each method hands to a study: on whom it is measured, in which points, and what groups are looked for in."""

from collections.abc import Callable

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.algorithms.diagnostics.silhouettes import silhouettes_from_sums
from gauger.choosing.evidence import MOST_CUSTOMERS
from gauger.choosing.methods import ByKmeans, ByTree

Make = Callable[..., gauger.FeatureSet]


def _tree(features: gauger.FeatureSet, metric: str) -> ByTree:
    return ByTree(gauger.build_tree(features, linkage="average", metric=metric), 0)


@pytest.fixture
def features(features_of: Make) -> gauger.FeatureSet:
    values = np.random.default_rng(3).normal(size=(40, 3)) * [1.0, 5.0, 0.2]
    return features_of(values, scale="none")


def test_groups_are_looked_for_in_at_most_four_thousand_customers_and_in_whole_categories(features_of: Make) -> None:
    many = ByKmeans(features_of(np.random.default_rng(0).normal(size=(MOST_CUSTOMERS + 1, 2))), 1, 1, 0)
    assert len(many.for_evidence()[0].values) == MOST_CUSTOMERS == 4_000
    table = pd.DataFrame({"who": range(9), "visits": np.arange(9.0) ** 2, "area": list("nswnswnsw")})
    prepared = gauger.prepare(table, key="who", categories=["area"])
    looked, wholes = ByKmeans(prepared, 1, 1, 0).for_evidence()
    assert sorted(wholes) == ["area", "area", "area", "visits"]
    (places,) = looked.categories
    assert [wholes[place] for place in places] == ["area"] * 3
    assert looked.places == [wholes.index("visits")]


@pytest.mark.parametrize(
    ("metric", "in_features"), [("euclidean", True), ("city_block", True), ("mahalanobis", False), ("cosine", False)]
)
def test_groups_are_looked_for_in_features_where_the_metric_looks_at_all_of_them(
    metric: str, in_features: bool, features: gauger.FeatureSet
) -> None:
    looked, names = _tree(features, metric).for_evidence()
    assert looked.one_scale is not in_features
    assert names == (
        [features.names[at] for at in ByKmeans(features, 1, 1, 0).everyone.column_order] if in_features else []
    )


@pytest.mark.parametrize("metric", ["mahalanobis", "city_block"])
def test_the_points_of_a_metric_have_its_distances(metric: str, features: gauger.FeatureSet) -> None:
    """Those of the metric itself where it has points; principal coordinates come near to others."""
    way = _tree(features, metric)
    placed, order = way.for_criteria().T, way.everyone.order
    apart = np.sqrt(((placed[:, None] - placed[None]) ** 2).sum(axis=2))
    leaf = way.tree.leaf_of[order]
    given = way.tree.distances.between(leaf, leaf)
    if metric == "mahalanobis":
        assert apart == pytest.approx(given, abs=1e-9)
        assert way.tree.distances.points is not None
        assert np.allclose(placed, way.tree.distances.points[order])
    else:
        assert np.corrcoef(apart.ravel(), given.ravel())[0, 1] > 0.9


@pytest.mark.parametrize(
    ("metric", "exact_up_to", "measured"),
    [("euclidean", 40, 40), ("euclidean", 39, 40), ("cosine", 40, 40), ("cosine", 39, 39)],
)
def test_silhouettes_by_another_metric_are_measured_on_no_more_than_the_limit(
    metric: str, exact_up_to: int, measured: int, features: gauger.FeatureSet
) -> None:
    assert _tree(features, metric).measured_on(exact_up_to) == measured


def test_the_silhouette_is_by_the_metric_of_the_tree(features: gauger.FeatureSet) -> None:
    way = _tree(features, "cosine")
    seg = way.tree.cut(count=3)
    apart = way.tree.distances.between(way.tree.leaf_of, way.tree.leaf_of)
    member = np.equal.outer(seg.codes, np.arange(1, 4)).astype(float)
    by_hand = silhouettes_from_sums(apart @ member, seg.codes - 1, member.sum(axis=0).astype(int))
    assert way.silhouette(seg, 40)[0] == pytest.approx(by_hand.mean())


def test_the_jump_is_to_the_merge_that_leaves_one_segment_fewer(features: gauger.FeatureSet) -> None:
    way = _tree(features, "euclidean")
    heights = way.tree.merges["height"].to_numpy()
    assert way.own_measures(1)["merge_jump"] == pytest.approx(way.tree.merges["jump"].iloc[-1], nan_ok=True)
    assert way.own_measures(3)["merge_jump"] == pytest.approx(heights[-2] - heights[-3])
    assert np.isnan(way.own_measures(40)["merge_jump"])
