"""Studies of trees: the count by one tree's cuts, and linkages and metrics side by side."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pandas as pd
import pytest
from scipy.stats import spearmanr

import gauger
from gauger.algorithms.distances.metrics import METRICS
from gauger.algorithms.statistics.contingency import adjusted_rand
from gauger.choosing.linkage_studies import CAUTION as ABOUT_TREES
from gauger.choosing.metric_studies import CAUTION as ABOUT_METRICS
from gauger.choosing.metric_studies import _advise, _table

Make = Callable[..., gauger.FeatureSet]

MIDDLES = np.array([[0.0, 0.0], [8.0, 0.0], [0.0, 8.0], [8.0, 8.0]])


@pytest.fixture(scope="module")
def planted() -> np.ndarray:
    return np.repeat(MIDDLES, 80, axis=0) + np.random.default_rng(0).normal(size=(320, 2))


@pytest.mark.slow
@pytest.mark.parametrize("how", [{}, {"linkage": "average"}, {"linkage": "complete", "metric": "city_block"}])
def test_a_tree_study_finds_the_planted_groups(planted: np.ndarray, how: dict[str, str], features_of: Make) -> None:
    study = gauger.study_counts(features_of(planted), method="tree", **how)
    assert (study.advice.count, study.advice.verdict) == (4, "clear")
    assert study.segmentations[4].sizes.tolist() == [80, 80, 80, 80]
    assert study.table.columns[-1] == "merge_jump"
    assert study.advice.picks["merge_jump"] == study.table["merge_jump"].idxmax()


@pytest.mark.slow
@pytest.mark.parametrize("metric", ["gower", "squared_euclidean", "mahalanobis", "given"])
def test_other_metrics_find_the_planted_groups_too(planted: np.ndarray, metric: str, features_of: Make) -> None:
    features = features_of(planted)
    given = np.sqrt(((features.values[:, None] - features.values) ** 2).sum(axis=2))
    how = given if metric == "given" else metric
    study = gauger.study_counts(features, method="tree", metric=how, counts=range(1, 7))
    assert study.advice.count == 4
    assert study.segmentations[4].sizes.tolist() == [80, 80, 80, 80]


@pytest.mark.slow
def test_the_jump_of_a_count_is_what_its_next_merge_would_cost(planted: np.ndarray, features_of: Make) -> None:
    features = features_of(planted)
    tree = gauger.build_tree(features)
    study = gauger.study_counts(features, method="tree", tree=tree, counts=range(1, 7))
    heights = tree.merges.set_index("step")["height"]
    for count in range(2, 7):
        assert study.table.loc[count, "merge_jump"] == heights.loc[321 - count] - heights.loc[320 - count]
        assert study.segmentations[count].codes.tolist() == tree.cut(count=count).codes.tolist()
    assert np.isnan(study.table.loc[1, "merge_jump"])


@pytest.mark.slow
def test_the_same_columns_mean_the_same_for_trees(planted: np.ndarray, features_of: Make) -> None:
    study = gauger.study_counts(features_of(planted), method="tree", counts=range(1, 5))
    seg = study.segmentations[3]
    row = study.table.loc[3]
    assert row["wcss"] == seg.wcss
    assert row["silhouette"] == pytest.approx(gauger.silhouette(seg).mean)
    assert row["smallest_share"] == seg.sizes.min() / 320


def test_under_another_metric_the_silhouette_is_by_that_metric(planted: np.ndarray, features_of: Make) -> None:
    features = features_of(planted[::4])
    study = gauger.study_counts(features, method="tree", metric="city_block", counts=[2, 4])
    codes = study.segmentations[4].codes
    apart = np.abs(features.values[:, None] - features.values).sum(axis=2)
    values = []
    for row, own in enumerate(codes):
        means = {n: apart[row][(codes == n) & (np.arange(len(codes)) != row)].mean() for n in np.unique(codes)}
        within, between = means.pop(own), min(means.values())
        values.append((between - within) / max(within, between))
    assert study.table.loc[4, "silhouette"] == pytest.approx(np.mean(values))


@pytest.mark.slow
def test_a_cut_that_leaves_customers_alone_is_said(planted: np.ndarray, features_of: Make) -> None:
    lone = np.vstack([planted, [[30.0, 30.0], [-25.0, 4.0]]])
    study = gauger.study_counts(features_of(lone), method="tree", linkage="average")
    advice = study.advice
    assert (advice.count, advice.verdict) == (4, "unclear")
    assert advice.reasons[0].startswith("Cut at 4, this tree does not show the groups: its segments have")
    assert "too small to be one. Try linkage ward (with the Euclidean metric), or k-means." in advice.reasons[0]
    assert advice.alternatives[6] == "4 segments of a fair size and 2 of a few customers"
    assert "tiny-segment" in [remark.code for remark in study.segmentations[4].remarks]


@pytest.mark.slow
def test_a_tree_of_a_cloud_has_no_structure(features_of: Make) -> None:
    features = features_of(np.random.default_rng(3).normal(size=(300, 3)))
    for how in ({}, {"metric": "city_block"}):
        advice = gauger.study_counts(features, method="tree", counts=range(1, 7), **how).advice
        assert (advice.count, advice.verdict) == (1, "no structure")
    several = gauger.study_counts(features, method="tree", linkage="single", counts=range(2, 5)).advice
    assert several.verdict == "no structure"
    assert "no more clustered than one cloud" in several.reasons[0]


def test_wrong_requests_are_told_apart(planted: np.ndarray, features_of: Make) -> None:
    features = features_of(planted)
    for how, words in (
        ({"method": "trees"}, "method='trees' is not known.*Did you mean 'tree'"),
        ({"linkage": "ward"}, "linkage= is for method='tree'; k-means has none"),
        ({"method": "tree", "tree": gauger.build_tree(features, of="features")}, "of these features' customers"),
        ({"method": "tree", "tree": gauger.build_tree(features, condense=5)}, "count=10 must be .* from 1 to 5"),
    ):
        with pytest.raises(gauger.GaugerError, match=words):
            gauger.study_counts(features, **how)


@pytest.mark.slow
def test_row_order_changes_no_tree_study(planted: np.ndarray, features_of: Make) -> None:
    turned = np.random.default_rng(5).permutation(len(planted))
    studies = [
        gauger.study_counts(features_of(rows), method="tree", metric="canberra", counts=[2, 3], resamples=2)
        for rows in (planted, planted[turned])
    ]
    pd.testing.assert_frame_equal(studies[0].table, studies[1].table, rtol=1e-9)


def test_linkages_are_compared_and_one_that_chains_is_named(features_of: Make) -> None:
    rng = np.random.default_rng(7)
    values = np.vstack([rng.normal(size=(90, 2)), rng.normal(size=(90, 2)) + 4.0, [[-9.0, 9.0]]])
    study = gauger.study_linkages(features_of(values), count=2)
    assert study.table.index.tolist() == list(study.trees) == study.agreement.index.tolist()
    assert study.table.loc["single", "largest_share"] > 0.9
    assert "into one segment: a chain." in " ".join(study.advice.reasons)
    assert study.advice.linkage in ("ward", "complete")
    assert study.table.loc[study.advice.linkage, "small"] == 0
    assert study.advice.reasons[-1] == ABOUT_TREES
    tree = study.trees["ward"]
    assert study.table.loc["ward", "cophenetic_correlation"] == tree.cophenetic_correlation
    ours = adjusted_rand(tree.cut(count=2).codes, study.trees["single"].cut(count=2).codes)
    assert study.agreement.loc["ward", "single"] == pytest.approx(ours)


def test_linkages_of_a_cloud_are_compared_at_two_segments_and_it_is_said(features_of: Make) -> None:
    study = gauger.study_linkages(features_of(np.random.default_rng(3).normal(size=(300, 3))))
    assert study.count == 2
    assert study.advice.reasons[0].startswith("The customers show no groups; the linkages are compared at 2 segments")


def test_linkages_are_those_that_the_metric_allows(planted: np.ndarray, features_of: Make) -> None:
    study = gauger.study_linkages(features_of(planted), metric="city_block")
    assert study.table.index.tolist() == ["single", "complete", "average", "weighted"]
    assert study.count == 4
    assert (study.agreement.to_numpy() == 1.0).all()


@pytest.mark.slow
def test_large_tables_are_sampled_and_it_is_said(features_of: Make) -> None:
    features = features_of(np.random.default_rng(1).normal(size=(3_100, 2)))
    study = gauger.study_linkages(features, count=3)
    assert [remark.code for remark in study.remarks] == ["linkages-sampled"]
    assert "3,000 of 3,100" in study.remarks[0].text
    metrics = gauger.study_metrics(features, metrics=["euclidean", "city_block"])
    assert [remark.code for remark in metrics.remarks] == ["metrics-sampled"]


def test_metrics_agree_with_scipys_rank_correlation_and_counted_neighbours(features_of: Make) -> None:
    features = features_of(np.random.default_rng(2).normal(size=(40, 3)))
    study = gauger.study_metrics(features, metrics=["euclidean", "canberra"])
    apart = {}
    for name in ("euclidean", "canberra"):
        tree = gauger.build_tree(features, linkage="single", metric=name)
        apart[name] = tree.distances.between(np.arange(40), np.arange(40))
    above = np.triu_indices(40, k=1)
    truth = spearmanr(apart["euclidean"][above], apart["canberra"][above]).statistic
    assert study.rank_correlation.loc["euclidean", "canberra"] == pytest.approx(truth)
    near = {name: [set(np.argsort(row)[1:11].tolist()) for row in square] for name, square in apart.items()}
    shared = np.mean([len(a & b) / 10 for a, b in zip(near["euclidean"], near["canberra"], strict=True)])
    assert study.neighbours.loc["euclidean", "canberra"] == pytest.approx(shared)


def test_the_map_puts_like_metrics_near_each_other(features_of: Make) -> None:
    study = gauger.study_metrics(features_of(np.random.default_rng(2).normal(size=(60, 4))))
    indices = study.map.to_numpy()
    apart = pd.DataFrame(np.hypot(*(indices[:, None] - indices).T), study.map.index, study.map.index)
    assert apart.loc["euclidean", "squared_euclidean"] < 1e-6
    assert apart.loc["euclidean", "minkowski"] < apart.loc["euclidean", "correlation"]
    assert study.advice.reasons[-1] == ABOUT_METRICS
    assert set(study.table.index) == {*METRICS, "gower"} - {"dtw", "dtw_zscored", "lagged_correlation"}


def test_metrics_that_these_features_do_not_allow_are_left_out_and_named(features_of: Make) -> None:
    study = gauger.study_metrics(features_of(np.arange(12.0)[:, None]))
    assert "correlation" not in study.table.index
    assert [remark.code for remark in study.remarks] == ["metrics-left-out"]
    with pytest.raises(gauger.GaugerError, match="metric='correlation' says nothing"):
        gauger.study_metrics(features_of(np.arange(12.0)[:, None]), metrics=["euclidean", "correlation"])
    with pytest.raises(gauger.GaugerError, match="at least two metrics to compare, not euclidean"):
        gauger.study_metrics(features_of(np.arange(12.0)[:, None]), metrics=["euclidean"])


def test_the_adjusted_rand_index_by_hand() -> None:
    one, other = np.array([1, 1, 1, 2, 2, 2]), np.array([1, 1, 2, 2, 3, 3])
    expected = 6 * 3 / 15
    assert adjusted_rand(one, other) == pytest.approx((2 - expected) / ((6 + 3) / 2 - expected))
    assert adjusted_rand(one, one[::-1]) == 1.0
    assert adjusted_rand(np.ones(4, int), np.ones(4, int)) == 1.0


def test_seeding_k_means_with_a_cut_tells_how_many_moved(features_of: Make) -> None:
    features = features_of(np.random.default_rng(4).normal(size=(200, 2)))
    cut = gauger.build_tree(features).cut(count=3)
    seg = gauger.segment_by_kmeans(features, seeding=cut)
    said = next(remark.text for remark in seg.remarks if remark.code == "moved-since-seeding")
    centres = cut.scaled_centres
    codes = cut.codes
    while True:
        nearest = ((features.values[:, None] - centres) ** 2).sum(axis=2).argmin(axis=1) + 1
        if (nearest == codes).all():
            break
        codes = nearest
        centres = np.array([features.values[codes == number].mean(axis=0) for number in (1, 2, 3)])
    moved = int((codes != cut.codes).sum())
    assert moved > 0
    assert f"k-means moved {moved} of 200 customers ({moved / 200:.1%}) from the 3 segments by Ward's linkage" in said
    again = gauger.segment_by_kmeans(features, 3, seeding=seg)
    assert "moved 0 of 200" in " ".join(remark.text for remark in again.remarks)


def test_the_table_of_metrics_has_means_over_the_others_and_the_advice_says_who_is_alike() -> None:
    names = ["a", "b", "c"]
    order = pd.DataFrame([[1.0, 0.97, 0.2], [0.97, 1.0, 0.4], [0.2, 0.4, 1.0]], names, names)
    near = pd.DataFrame([[1.0, 0.9, 0.3], [0.9, 1.0, 0.5], [0.3, 0.5, 1.0]], names, names)
    table = _table(order, near)
    assert table["rank_correlation"].tolist() == pytest.approx([0.585, 0.685, 0.3])
    assert table["neighbours"].tolist() == pytest.approx([0.6, 0.7, 0.4])
    assert table["most_like"].tolist() == ["b", "a", "b"]
    advice = _advise(order, near)
    assert advice.alike == (("a", "b"),)
    assert advice.headline() == "a and b: one of each will do."
    assert replace(advice, alike=(tuple("abcdefghijk"),)).headline().startswith("a, b, c, d, e, f, g, h, i and 2 more:")
    assert "Least alike are a and c" in advice.reasons[1]
    assert "correlate by 0.20, and they share 30%" in advice.reasons[1]
    assert advice.reasons[2].startswith("On its own stands c: ")
    alone = _advise(order.replace(0.97, 0.94), near)
    assert (alone.alike, alone.headline()) == ((), "Every metric has an idea of nearness of its own.")
