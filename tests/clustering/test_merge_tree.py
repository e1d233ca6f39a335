"""What is read from a tree: cuts, heights, orders, cophenetic distances, and the remarks on them."""

from itertools import permutations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from naive_trees import naive_cophenetic, neighbours_sum
from test_tree_building import distances_of, features_of, merges_of

import gauger
from gauger.algorithms.merge_trees.linkages import LINKAGES
from tests.examples import examples


@pytest.fixture(scope="module")
def tree():
    return gauger.build_tree(features_of(np.random.default_rng(21).normal(size=(60, 3))))


def test_merges_tell_the_jump_to_the_next(tree):
    assert tree.merges.columns.tolist() == ["step", "left", "right", "height", "size", "jump"]
    assert tree.merges["step"].tolist() == list(range(1, 60))
    heights = tree.merges["height"].to_numpy()
    np.testing.assert_allclose(tree.merges["jump"].iloc[:-1], np.diff(heights))
    assert np.isnan(tree.merges["jump"].iloc[-1])


@pytest.mark.parametrize("linkage", LINKAGES)
@examples(10)
@given(st.integers(2, 30), st.integers(0, 1000))
def test_cuts_nest(linkage, n, seed):
    tree = gauger.build_tree(features_of(np.random.default_rng(seed).integers(0, 9, size=(n, 2))), linkage=linkage)
    coarse = tree.cut(count=1).codes
    for count in range(2, n + 1):
        fine = tree.cut(count=count)
        assert fine.count == count
        pairs = {(int(a), int(b)) for a, b in zip(fine.codes, coarse, strict=True)}
        assert len(pairs) == count
        coarse = fine.codes


def test_a_height_and_the_count_it_gives_cut_alike(tree):
    for count in (1, 2, 5, 30, 59):
        at = tree.height_of(count)
        if count > 1:
            assert tree.cut(height=at).codes.tolist() == tree.cut(count=count).codes.tolist()
    assert tree.cut(height=float(tree.merges["height"].iloc[-1])).count == 1


def test_a_height_on_the_wrong_scale_is_told_the_range_and_what_nearby_heights_give(tree):
    low, high = tree.merges["height"].iloc[[0, -1]]
    with pytest.raises(gauger.GaugerError) as caught:
        tree.cut(height=300)
    text = str(caught.value)
    assert "height=300 is outside the tree" in text
    assert f"between {low:.6g} and {high:.6g}" in text
    assert "gives 2 segments" in text
    for at, count in tree.counts_near(300).items():
        assert tree.cut(height=at).count == count
    with pytest.raises(gauger.GaugerError, match="outside the tree"):
        tree.cut(height=low / 2)


@pytest.mark.parametrize("count", [0, 61, -1, 2.5, True])
def test_a_count_out_of_range_is_refused(tree, count):
    with pytest.raises(gauger.GaugerError, match="must be a whole number from 1 to 60: there are 60 customers"):
        tree.cut(count=count)


def test_one_way_to_cut_must_be_given(tree):
    for how in ({}, {"count": 3, "height": 2.0}):
        with pytest.raises(gauger.GaugerError, match="either count=, the number of segments, or height="):
            tree.cut(**how)
    with pytest.raises(gauger.GaugerError, match="height='high' must be a number"):
        tree.cut(height="high")


def test_a_cut_is_a_segmentation_like_any_other(tree):
    seg = tree.cut(count=4)
    assert seg.method == "Ward's linkage"
    counted = [int((seg.codes == number).sum()) for number in range(1, 5)]
    assert counted == sorted(counted, reverse=True)
    assert sum(counted) == 60
    for number in seg.numbers:
        np.testing.assert_allclose(
            seg.scaled_centres[number - 1], seg.features.values[seg.codes == number].mean(axis=0)
        )
    assert tree.groups(count=4).tolist() == seg.codes.tolist()
    assert tree.groups(count=4).index.tolist() == seg.features.keys.tolist()
    assert gauger.silhouette(seg).values.shape == (60,)


@pytest.mark.parametrize("linkage", LINKAGES)
def test_cophenetic_distances_agree_with_brute_force(linkage):
    features = features_of(np.random.default_rng(31).normal(size=(40, 3)))
    tree = gauger.build_tree(features, linkage=linkage)
    truth = naive_cophenetic(merges_of(tree), 40)
    np.testing.assert_allclose(tree.cophenetic(), truth, atol=1e-12)
    apart = distances_of(features)[np.triu_indices(40, k=1)]
    assert tree.cophenetic_correlation == pytest.approx(np.corrcoef(apart, truth)[0, 1])


def test_leaf_order_keeps_branches_together_with_the_larger_to_the_left(tree):
    order = tree.leaf_order.tolist()
    assert sorted(order) == list(range(60))
    for one, other, _ in merges_of(tree):
        indices = [sorted(order.index(leaf) for leaf in part) for part in (one, other)]
        assert indices[0][-1] + 1 == indices[1][0]
        assert indices[0][-1] - indices[0][0] == len(one) - 1
        assert len(one) >= len(other)


@examples(25)
@given(st.integers(2, 8), st.integers(0, 1000))
def test_the_optimal_order_is_the_best_that_the_tree_allows(n, seed):
    features = features_of(np.random.default_rng(seed).normal(size=(n, 2)))
    best = gauger.build_tree(features, linkage="average", optimal_order=True)
    members = [part for merge in merges_of(best) for part in merge[:2] if len(part) > 1]
    apart = distances_of(features)

    def allowed(order):
        indices = {leaf: index for index, leaf in enumerate(order)}
        spans = ([indices[leaf] for leaf in part] for part in members)
        return all(max(span) - min(span) == len(span) - 1 for span in spans)

    least = min(neighbours_sum(order, apart) for order in permutations(range(n)) if allowed(order))
    assert allowed(best.leaf_order.tolist())
    assert neighbours_sum(best.leaf_order, apart) == pytest.approx(least)


def test_the_optimal_order_has_a_limit():
    features = features_of(np.random.default_rng(0).normal(size=(2_001, 1)))
    with pytest.raises(gauger.GaugerError, match=r"at most 2,000 leaves, not 2,001"):
        gauger.build_tree(features, optimal_order=True)


def test_inversions_are_found_and_remarked():
    tree = gauger.build_tree(features_of([[0.0, 0.0], [1.0, 0.0], [0.5, 0.88]]), linkage="centroid")
    assert tree.merges["height"].tolist() == pytest.approx([1.0, 0.88])
    assert tree.inversions.tolist() == [2]
    assert "inverted-merges" in [remark.code for remark in tree.remarks]
    assert tree.cut(height=0.95).count == 3
    assert tree.cut(height=1.0).count == 1
    assert gauger.build_tree(tree.features, linkage="average").inversions.tolist() == []


def test_ties_that_decide_the_segments_are_remarked_and_others_are_not():
    row = gauger.build_tree(features_of(np.arange(9.0)), linkage="complete")
    assert "tied-merges" in [remark.code for remark in row.cut(count=4).remarks]
    pairs = features_of(np.repeat([0.0, 5.0, 40.0], 2) + np.tile([0.0, 1.0], 3))
    apart = gauger.build_tree(pairs, linkage="complete")
    assert [remark.code for remark in apart.cut(count=3).remarks] == []
    assert [remark.code for remark in apart.cut(count=2).remarks] == []
    assert "tied-merges" in [remark.code for remark in apart.cut(count=5).remarks]


def test_a_chain_is_remarked():
    rng = np.random.default_rng(13)
    seg = gauger.build_tree(features_of(rng.normal(size=(200, 2))), linkage="single").cut(count=3)
    remarks = {remark.code: remark.text for remark in seg.remarks}
    assert "segment 1 holds 99.0% of the customers" in remarks["one-holds-most"]
    assert "segment 2 has 1 customer" in remarks["tiny-segment"]


def test_of_many_tiny_segments_a_few_are_named(tree):
    (tiny,) = (remark for remark in tree.cut(count=50).remarks if remark.code == "tiny-segment")
    assert len(tiny.segments) > 6
    assert f"and {len(tiny.segments) - 6} more as small: at most 1% of all" in tiny.text


def test_a_tree_shows_its_last_merges(tree):
    text = repr(tree)
    assert "Tree of 60 customers by Ward's linkage and Euclidean distance: heights" in text
    assert "segments" in text
    assert len(tree.overview()) == 10
