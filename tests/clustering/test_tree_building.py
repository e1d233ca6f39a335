"""Trees against their definitions: every linkage, every metric, ties and copies, and what is refused."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from naive_trees import naive_groups, naive_merges, refuse_unless_closest

import gauger
from gauger.algorithms.merge_trees.closest_pairs import merge_closest_points
from gauger.algorithms.merge_trees.linkages import LINKAGES, POINT_LINKAGES
from gauger.clustering.customer_distances import CUSTOMER_METRICS
from tests.examples import examples, thoroughly
from tests.heard_steps import heard_steps

WORKED = [0.0, 1.0, 4.0, 6.0, 12.0]


def features_of(values, **how):
    values = np.atleast_2d(np.asarray(values, dtype=float).T).T
    table = pd.DataFrame(values, columns=[f"f{index}" for index in range(values.shape[1])])
    table.insert(0, "who", [f"c{row}" for row in range(len(values))])
    return gauger.prepare(table, key="who", scale=how.pop("scale", "none"), **how)


def distances_of(features):
    gaps = features.values[:, None] - features.values
    return np.sqrt((gaps**2).sum(axis=2))


def merges_of(tree):
    """The merges as (members, members, height)."""
    members = [(leaf,) for leaf in range(tree.leaves)]
    found = []
    for merge in tree.merges.itertuples():
        one, other = members[merge.left], members[merge.right]
        found.append((one, other, merge.height))
        members.append(tuple(sorted(one + other)))
        assert merge.size == len(members[-1])
    return found


@pytest.mark.parametrize("linkage", LINKAGES)
@pytest.mark.parametrize("n", thoroughly([2, 3, 17, 70], 3))
def test_each_linkage_agrees_with_its_definition(linkage, n):
    features = features_of(np.random.default_rng(n).normal(size=(n, 3)))
    points = features.values if linkage in POINT_LINKAGES else None
    truth = naive_merges(distances_of(features), linkage, points)
    tree = gauger.build_tree(features, linkage=linkage)
    np.testing.assert_allclose(tree.merges["height"], [height for _, _, height in truth], atol=1e-9, rtol=0)
    for count in {1, 2, min(5, n), n}:
        cut = tree.cut(count=count)
        ours = {frozenset(np.flatnonzero(cut.codes == number).tolist()) for number in cut.numbers}
        assert ours == naive_groups(truth, n, count)


@pytest.mark.parametrize("linkage", LINKAGES)
@examples(15)
@given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 3)), min_size=2, max_size=16))
def test_with_ties_and_copies_each_merge_joins_a_closest_pair_of_its_time(linkage, rows):
    features = features_of(rows)
    tree = gauger.build_tree(features, linkage=linkage)
    points = features.values if linkage in POINT_LINKAGES else None
    refuse_unless_closest(merges_of(tree), distances_of(features), linkage, points)


def test_the_worked_example_of_five_customers():
    tree = gauger.build_tree(features_of(WORKED))
    np.testing.assert_allclose(tree.merges["height"], [1.0, 2.0, np.sqrt(40.5), np.sqrt(136.9)], atol=1e-12)
    squared = gauger.build_tree(features_of(WORKED), ward_heights="squared")
    np.testing.assert_allclose(squared.merges["height"], [1.0, 4.0, 40.5, 136.9], atol=1e-12)
    wcss = gauger.build_tree(features_of(WORKED), ward_heights="wcss")
    np.testing.assert_allclose(wcss.merges["height"], [0.5, 2.5, 22.75, 91.2], atol=1e-12)
    assert wcss.merges["height"].iloc[-1] == pytest.approx(tree.cut(count=1).wcss)


def test_ward_on_the_sum_of_squares_scale_is_the_wcss_of_each_cut():
    tree = gauger.build_tree(features_of(np.random.default_rng(2).normal(size=(40, 3))), ward_heights="wcss")
    for count in (1, 3, 8):
        assert tree.merges["height"][39 - count] == pytest.approx(tree.cut(count=count).wcss)


@pytest.mark.slow
@pytest.mark.parametrize("metric", CUSTOMER_METRICS)
def test_average_linkage_with_each_metric_agrees_with_the_reference(metric):
    features = features_of(np.random.default_rng(5).normal(size=(25, 7)))
    tree = gauger.build_tree(features, linkage="average", metric=metric)
    everyone = np.arange(25)
    truth = naive_merges(tree.distances.between(everyone, everyone), "average")
    np.testing.assert_allclose(tree.merges["height"], [height for _, _, height in truth], atol=1e-9, rtol=0)


@pytest.mark.slow
@pytest.mark.parametrize("metric", CUSTOMER_METRICS)
@examples(8)
@given(st.integers(8, 14), st.integers(0, 1000))
def test_average_linkage_with_each_metric_joins_a_closest_pair_despite_ties_and_copies(metric, n, seed):
    rows = np.array(
        [[1.0, 2.0, 4.0], [2.0, 4.0, 1.0], [4.0, 1.0, 2.0], [1.0, 3.0, 5.0], [5.0, 1.0, 1.0], [1.0, 1.0, 3.0]]
    )
    chosen = np.concatenate([np.arange(6), np.random.default_rng(seed).integers(0, 6, size=n - 6)])
    tree = gauger.build_tree(features_of(rows[chosen]), linkage="average", metric=metric)
    everyone = np.arange(n)
    refuse_unless_closest(merges_of(tree), tree.distances.between(everyone, everyone), "average")
    assert (tree.merges["height"] == 0.0).sum() >= n - 6


def test_copies_of_one_customer_cost_no_look_each(monkeypatch):
    values = np.repeat([[0.0, 1.0], [5.0, 5.0], [9.0, 0.0]], [3_000, 2_000, 1_000], axis=0)
    for linkage in LINKAGES:
        tree = gauger.build_tree(features_of(values), linkage=linkage)
        assert (tree.merges["height"] == 0.0).sum() == 5_997
        assert tree.cut(count=3).sizes.tolist() == [3_000, 2_000, 1_000]
    monkeypatch.setenv("GAUGER_MEMORY_GB", "0.001")
    lattice = np.repeat(np.arange(9.0), 700)
    tied = gauger.build_tree(features_of(lattice), linkage="average").cut(count=4)
    assert "tied-merges" in [remark.code for remark in tied.remarks]
    ward = gauger.build_tree(features_of(values))
    assert ward.merges["height"].iloc[-2] == pytest.approx(np.sqrt(2.0 * 2_000 * 1_000 / 3_000 * (4.0**2 + 5.0**2)))


@pytest.mark.slow
def test_many_customers_take_the_boxes_and_the_passes_to_the_same_tree():
    rng = np.random.default_rng(9)
    features = features_of(np.vstack([rng.normal(size=(300, 4)), rng.normal(size=(100, 4)) + 6.0, np.zeros((30, 4))]))
    for linkage in ("ward", "centroid", "median"):
        points = {"ward": _ward_heights, "centroid": _point_heights, "median": _point_heights}[linkage]
        tree = gauger.build_tree(features, linkage=linkage)
        np.testing.assert_allclose(tree.merges["height"], points(features.values, linkage), atol=1e-9)


def _ward_heights(values, _linkage):
    return _heights(values, lambda sizes: 2.0 * sizes[:, None] * sizes / (sizes[:, None] + sizes), by_size=True)


def _point_heights(values, linkage):
    return _heights(values, np.ones_like, by_size=linkage == "centroid")


def _heights(values, worth, *, by_size):
    points, sizes, heights = values.copy(), np.ones(len(values)), []
    while len(points) > 1:
        apart = ((points[:, None] - points) ** 2).sum(axis=2) * worth(sizes)
        np.fill_diagonal(apart, np.inf)
        i, j = sorted(np.unravel_index(apart.argmin(), apart.shape))
        heights.append(np.sqrt(apart[i, j]))
        share = sizes[j] / (sizes[i] + sizes[j]) if by_size else 0.5
        points[i] += (points[j] - points[i]) * share
        sizes[i] += sizes[j]
        points, sizes = np.delete(points, j, axis=0), np.delete(sizes, j)
    return heights


@pytest.mark.parametrize("linkage", LINKAGES)
def test_the_order_of_rows_and_features_and_the_threads_change_no_bit(linkage, monkeypatch):
    rng = np.random.default_rng(11)
    table = pd.DataFrame(rng.normal(size=(150, 3)).round(1), columns=["a", "b", "c"])
    table.insert(0, "who", range(150))
    mixed = table.iloc[rng.permutation(150)][["who", "c", "a", "b"]]
    monkeypatch.setenv("GAUGER_THREADS", "1")
    one = gauger.build_tree(gauger.prepare(table, key="who"), linkage=linkage)
    monkeypatch.setenv("GAUGER_THREADS", "2")
    other = gauger.build_tree(gauger.prepare(mixed, key="who"), linkage=linkage)
    assert one.merges["height"].tolist() == other.merges["height"].tolist()
    back = pd.Series(other.cut(count=5).codes, index=mixed["who"]).sort_index()
    assert one.cut(count=5).codes.tolist() == back.tolist()


@pytest.mark.parametrize("linkage", POINT_LINKAGES)
@pytest.mark.parametrize("metric", ["city_block", "squared_euclidean", np.zeros((3, 3))])
def test_linkages_that_need_euclidean_geometry_say_so_and_what_to_use(linkage, metric):
    with pytest.raises(gauger.GaugerError, match=r"needs Euclidean geometry.*Take linkage='average'.*euclidean"):
        gauger.build_tree(features_of([1.0, 2.0, 4.0]), linkage=linkage, metric=metric)


def test_the_default_linkage_is_wards_where_it_can_be():
    features = features_of(np.random.default_rng(0).normal(size=(9, 3)))
    assert gauger.build_tree(features).linkage == "ward"
    assert gauger.build_tree(features, metric="canberra").linkage == "average"
    assert gauger.build_tree(features, of="features").linkage == "average"


@pytest.mark.parametrize(
    ("how", "words"),
    [
        ({"linkage": "wards"}, r"linkage='wards' is not known.*Did you mean 'ward'"),
        ({"metric": "euclid"}, r"metric='euclid' is not known.*Did you mean 'euclidean'"),
        ({"of": "houses"}, "of='houses' is not known; it can be customers or features"),
        ({"ward_heights": "root"}, "ward_heights='root' is not known"),
        ({"condense": 1}, "condense=1 must be a whole number from 2 up"),
        ({"condense": 5, "metric": "gower"}, "condense= stands customers in for each other"),
        ({"metric": "minkowski", "p": 0.5}, "p=0.5 must be a number from 1 up"),
        ({"metric": "dtw", "band": 9}, "band=9 must be a whole number of periods from 0 to 1"),
        ({"of": "features", "metric": "cosine"}, "it can be correlation or absolute_correlation"),
        ({"of": "features", "condense": 5}, "condense= gathers customers"),
        ({"of": "features", "linkage": "ward"}, "take single, complete, average or weighted"),
    ],
)
def test_wrong_words_get_one_clear_message(how, words):
    with pytest.raises(gauger.GaugerError, match=words):
        gauger.build_tree(features_of(np.random.default_rng(1).normal(size=(12, 2))), **how)


def test_one_customer_and_one_feature_are_too_few():
    with pytest.raises(gauger.GaugerError, match="merges at least two customers, and there is only 1"):
        gauger.build_tree(features_of([[1.0, 2.0]]))
    with pytest.raises(gauger.GaugerError, match="merges at least two features, and there is only 1"):
        gauger.build_tree(features_of([1.0, 2.0]), of="features")


@pytest.mark.parametrize("linkage", LINKAGES)
def test_two_equal_customers_are_joined_at_nothing(linkage):
    tree = gauger.build_tree(features_of([[3.0, 1.0], [3.0, 1.0]]), linkage=linkage)
    assert tree.merges["height"].tolist() == [0.0]
    assert tree.cut(height=0.0).count == 1
    assert tree.cut(count=2).sizes.tolist() == [1, 1]


def test_rows_that_a_metric_says_nothing_of_are_named():
    rows = [[1.0, 2.0], [0.0, 0.0], [3.0, 3.0]]
    with pytest.raises(gauger.GaugerError, match=r"c1 is all zero .*metric='cosine' says nothing of it"):
        gauger.build_tree(features_of(rows), metric="cosine")
    with pytest.raises(gauger.GaugerError, match=r"c[12] and c[12] are constant .*metric='correlation'"):
        gauger.build_tree(features_of(rows), metric="correlation")
    with pytest.raises(gauger.GaugerError, match="more rows than features; 3 rows by 2 features"):
        gauger.build_tree(features_of([[1.0, 2.0], [2.0, 4.0], [3.0, 6.0]]), metric="mahalanobis")


def test_features_that_say_the_same_are_one_branch():
    rng = np.random.default_rng(3)
    base = rng.normal(size=(200, 2))
    table = pd.DataFrame({"who": range(200), "visits": base[:, 0], "spend": base[:, 1]})
    table["seats"] = 2.0 * table["visits"] + 0.01 * rng.normal(size=200)
    table["gap_days"] = -table["visits"]
    features = gauger.prepare(table, key="who")
    plain = gauger.build_tree(features, of="features").groups(count=3)
    assert plain["visits"] == plain["seats"] == 1
    assert plain["gap_days"] != 1
    absolute = gauger.build_tree(features, of="features", metric="absolute_correlation")
    assert absolute.groups(count=2).to_dict() == {"visits": 1, "spend": 2, "seats": 1, "gap_days": 1}
    assert absolute.merges["height"].iloc[0] == pytest.approx(0.0, abs=1e-9)
    with pytest.raises(gauger.GaugerError, match=r"this tree is of features: use tree\.groups"):
        absolute.cut(count=2)


def test_constant_features_are_named():
    features = features_of([[1.0, 2.0], [1.0, 3.0], [1.0, 5.0]])
    with pytest.raises(gauger.GaugerError, match="f0 does not vary"):
        gauger.build_tree(features, of="features")


def test_series_treated_period_by_period_are_remarked():
    rows = np.random.default_rng(8).normal(size=(10, 20))
    plain = gauger.build_tree(features_of(rows), metric="dtw")
    assert plain.remarks == ()
    scaled = gauger.build_tree(features_of(rows, scale="zscore"), metric="dtw")
    assert [remark.code for remark in scaled.remarks] == ["periods-scaled"]


def test_a_tree_on_micro_segments_says_so_and_finds_the_planted_segments():
    rng = np.random.default_rng(4)
    middles = np.array([[0.0, 0.0], [9.0, 0.0], [0.0, 9.0], [9.0, 9.0]])
    truth = rng.integers(0, 4, size=6_000)
    features = features_of(middles[truth] + rng.normal(size=(6_000, 2)))
    with heard_steps() as steps:
        tree = gauger.build_tree(features, condense=200)
    announced, *done = steps["200 micro-segments of 6,000 rows"]
    assert announced == sum(done) > 0
    assert tree.leaves <= 200
    assert [remark.code for remark in tree.remarks] == ["condensed"]
    assert tree.merges["size"].iloc[-1] == 6_000
    seg = tree.cut(count=4)
    assert len(seg.codes) == 6_000
    assert pd.crosstab(seg.codes, truth).max(axis=1).sum() >= 5_995
    whole = gauger.build_tree(features)
    assert tree.merges["height"].iloc[-3:].to_numpy() == pytest.approx(whole.merges["height"].iloc[-3:], rel=0.01)
    sums = gauger.build_tree(features, condense=200, ward_heights="wcss")
    assert sums.merges["height"].iloc[-1] == pytest.approx(sums.cut(count=1).wcss)


def test_micro_segments_are_no_more_than_customers_that_differ():
    corners = np.random.default_rng(6).integers(0, 2, size=(500, 2))
    assert gauger.build_tree(features_of(corners), condense=100).leaves == 4
    with pytest.raises(gauger.GaugerError, match="merges at least two micro-segments, and there is only 1"):
        gauger.build_tree(features_of(np.ones((50, 2))), condense=10)


def test_over_the_memory_there_is_the_ways_out_are_named(monkeypatch):
    features = features_of(np.random.default_rng(6).normal(size=(400, 2)))
    exact = gauger.build_tree(features, linkage="average")
    monkeypatch.setenv("GAUGER_MEMORY_GB", "0.0001")
    with pytest.raises(gauger.GaugerError, match=r"take 624 kB.*'ward', 'centroid' or 'single'.*condense=2000"):
        gauger.build_tree(features, linkage="complete")
    assert gauger.build_tree(features, linkage="single").leaves == 400
    monkeypatch.setenv("GAUGER_MEMORY_GB", "0.0005")
    tree = gauger.build_tree(features, linkage="average")
    assert [remark.code for remark in tree.remarks] == ["half-precision"]
    np.testing.assert_allclose(tree.merges["height"], exact.merges["height"], rtol=1e-5)
    monkeypatch.setenv("GAUGER_MEMORY_GB", "plenty")
    with pytest.raises(gauger.GaugerError, match="GAUGER_MEMORY_GB='plenty' must be a number of gigabytes"):
        gauger.build_tree(features, linkage="complete")


@pytest.mark.parametrize(
    ("values", "tied"),
    [
        ([0.0, 0.1, 0.2, 5.0], True),
        ([0.0, 0.1, 0.22, 5.0], False),
        ([0.0, 0.1, 1.05, -0.95], True),  # once the first two are merged
        ([0.0, 0.1, 1.25, -0.95], False),
    ],
)
def test_equal_distances_are_ties_however_short_and_whenever_they_come(values, tied):
    merges = merge_closest_points(np.array([values]), np.ones(4), by_size=True, advance=lambda _: None)
    assert merges.tied is tied


@pytest.mark.parametrize("linkage", ["centroid", "median"])
def test_branches_that_move_out_of_their_boxes_are_found(linkage):
    features = features_of(np.random.default_rng(3).normal(size=(150, 2)))
    tree = gauger.build_tree(features, linkage=linkage)
    np.testing.assert_allclose(tree.merges["height"], _point_heights(features.values, linkage), atol=1e-9)
