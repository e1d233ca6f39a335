"""Density levels against the definition, branch by branch, and on groups that one radius cannot hold."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from naive_density import (
    all_distances,
    features_of,
    most_stable,
    naive_hierarchy,
    segments_of,
    without_shallow,
)

import gauger
from gauger.algorithms.density.dense_spots import _valley
from gauger.algorithms.density.hierarchy import hierarchy_of
from gauger.algorithms.density.levels import depths
from gauger.algorithms.merge_trees.single_linkage import merges_of_links
from gauger.algorithms.statistics.contingency import adjusted_rand
from gauger.clustering.customer_distances import neighbours_of
from gauger.clustering.ordering import order_customers
from gauger.errors import SettingError
from tests.examples import examples

LIMITS = {1: (4.8, 0.65), 2: (6.8, 1.0), 3: (4.8, 1.0)}


def _reference(points: np.ndarray, smallest: int, enough: int, *, city: bool = False, prune: bool = True):
    reach, root = naive_hierarchy(all_distances(points, city=city), smallest, enough)
    floor = reach[reach > 0.0].min() if (reach > 0.0).any() else 1.0
    logs = np.log(np.maximum(reach, floor))
    if prune:
        factor, power = LIMITS[points.shape[1]]
        limit = factor / enough**power
        without_shallow(
            root, lambda branch: points.shape[1] * (np.log(branch.born) - logs[list(branch.members)].mean()) >= limit
        )
    return root


@examples(120)
@given(
    st.integers(6, 45), st.integers(1, 3), st.integers(2, 40), st.integers(2, 6), st.booleans(), st.integers(0, 10_000)
)
def test_segments_and_outsiders_are_those_of_the_definition(
    n: int, d: int, levels: int, smallest: int, city: bool, seed: int
) -> None:
    rng = np.random.default_rng(seed)
    centres = 40.0 * rng.integers(0, 3, size=(n, 1))
    points = rng.integers(0, levels, size=(n, d)) + centres
    points += np.array([rng.permutation(n) for _ in range(d)]).T / 1000.0  # ties are spread, which no definition knows
    enough = int(rng.integers(2, smallest + 1))
    metric = "city_block" if city else "euclidean"
    seg = gauger.segment_by_density_levels(features_of(points), smallest, min_points=enough, metric=metric)
    root = _reference(points, smallest, enough, city=city)
    _, chosen = most_stable(root)
    assert segments_of(seg) == {frozenset(branch.everyone_leaves()) for branch in chosen}
    left = root.everyone_leaves()
    assert seg.departures["distance"].tolist() == pytest.approx([left[row] for row in range(n)])


@given(st.integers(6, 45), st.integers(1, 3), st.integers(2, 30), st.integers(2, 6), st.integers(0, 10_000))
def test_every_branch_of_the_whole_hierarchy_is_that_of_the_definition(
    n: int, d: int, levels: int, smallest: int, seed: int
) -> None:
    points = np.random.default_rng(seed).integers(0, levels, size=(n, d)).astype(float)
    features = features_of(points)
    everyone = order_customers(features)
    near = neighbours_of(features, everyone, "euclidean")
    reach = near.nth_distances(3)
    found = hierarchy_of(merges_of_links(*near.links(reach, lambda _: None)), smallest)
    waiting, expected = [_reference(points, smallest, 3, prune=False)], []
    while waiting:
        branch = waiting.pop()
        expected.append((branch.born, len(branch.members), branch.stability, len(branch.children)))
        waiting += branch.children
    below = [len(children) for children in found.children()]
    ours = sorted(zip(found.born.tolist(), found.held.tolist(), found.stability().tolist(), below, strict=True))
    for own, reference in zip(ours, sorted(expected), strict=True):
        assert own == pytest.approx(reference)


def _two_densities() -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(4)
    tight = [rng.normal(scale=0.05, size=(150, 2)) + centre for centre in ((0.0, 0.0), (0.6, 0.0))]
    loose = rng.normal(loc=(8.0, 0.0), size=(300, 2))
    return np.vstack([*tight, loose]), np.repeat([0, 1, 2], [150, 150, 300])


def test_groups_of_differing_density_are_found_where_no_radius_finds_them() -> None:
    points, truth = _two_densities()
    features = features_of(points)
    seg = gauger.segment_by_density_levels(features)
    assert seg.count == 3
    own = seg.codes > 0
    assert adjusted_rand(seg.codes[own], truth[own]) > 0.99
    assert own.mean() > 0.95
    at_one_radius = [gauger.segment_by_density(features, radius) for radius in np.geomspace(0.02, 2.0, 25)]
    assert max(adjusted_rand(other.codes, truth) for other in at_one_radius) < adjusted_rand(seg.codes, truth)


def test_strength_falls_towards_the_edge_and_the_odd_one_out_scores_highest() -> None:
    rng = np.random.default_rng(9)
    points = np.vstack([rng.normal(size=(300, 2)), rng.normal(loc=(12.0, 0.0), size=(300, 2)), [[6.0, 20.0]]])
    told = gauger.segment_by_density_levels(features_of(points)).assignments
    middle = np.linalg.norm(points[:300], axis=1)
    assert told["strength"].between(0.0, 1.0).all()
    assert told.loc[:299, "strength"][middle < 0.5].mean() > 0.8 > told.loc[:299, "strength"][middle > 2.0].mean()
    assert told["outlier_score"].between(0.0, 1.0).all()
    assert told["outlier_score"].idxmax() == 600
    assert told.loc[600, "segment"] == 0
    assert told.loc[600, "strength"] == 0.0
    assert told.loc[600, "nearest_segment"] in (1, 2)
    among = np.delete(all_distances(points)[600], 600)[told["segment"].to_numpy()[:600] > 0]
    assert told.loc[600, "nearest_distance"] == pytest.approx(among.min())


def test_branches_tell_the_hierarchy_and_which_of_them_are_segments() -> None:
    points, _ = _two_densities()
    seg = gauger.segment_by_density_levels(features_of(points))
    branches = seg.branches
    assert branches.loc[0, "customers"] == 600
    assert np.isinf(branches.loc[0, "born"])
    assert pd.isna(branches.loc[0, "parent"])
    chosen = branches[branches["segment"] > 0]
    assert sorted(chosen["segment"]) == [1, 2, 3]
    for number, row in branches.iloc[1:].iterrows():
        assert row["parent"] < number
        assert row["born"] < branches.loc[row["parent"], "born"]
    for row in chosen.itertuples():
        assert row.customers == seg.sizes[row.segment]


@pytest.mark.parametrize("make", ["uniform", "normal", "long tails"])
def test_one_cloud_is_one_segment_and_the_remark_says_so(make: str) -> None:
    rng = np.random.default_rng(11)
    draw = {"uniform": rng.random, "normal": rng.standard_normal, "long tails": lambda size: rng.standard_t(3, size)}[
        make
    ]
    for n, d in ((400, 1), (1_500, 2), (1_500, 4)):
        seg = gauger.segment_by_density_levels(features_of(draw((n, d))))
        assert seg.count == 1
        assert (seg.codes == 1).all()
        assert "no-dense-groups" in {remark.code for remark in seg.remarks}


def test_equal_customers_are_one_segment() -> None:
    seg = gauger.segment_by_density_levels(features_of(np.full((12, 2), 3.0)))
    assert seg.codes.tolist() == [1] * 12
    assert seg.assignments["strength"].tolist() == [1.0] * 12
    assert seg.assignments["outlier_score"].tolist() == [0.0] * 12


@examples(25)
@given(st.integers(10, 150), st.integers(0, 10_000))
def test_permuting_rows_permutes_the_answer(n: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    points, order = rng.integers(0, 12, size=(n, 2)) + 30.0 * rng.integers(0, 2, size=(n, 1)), rng.permutation(n)
    plain = gauger.segment_by_density_levels(features_of(points))
    turned = gauger.segment_by_density_levels(features_of(points[order], order))
    expected = plain.assignments.iloc[order].reset_index(drop=True)
    pd.testing.assert_frame_equal(expected, turned.assignments, check_exact=False)


def test_the_number_of_threads_changes_no_bit(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(7)
    features = features_of(rng.normal(size=(5_000, 3)) + 5.0 * rng.integers(0, 3, size=(5_000, 1)))
    made = []
    for threads in ("1", "3"):
        monkeypatch.setenv("GAUGER_THREADS", threads)
        made.append((gauger.segment_by_density_levels(features), gauger.segment_by_density(features, 0.6)))
    for one, other in zip(*made, strict=True):
        pd.testing.assert_frame_equal(one.assignments, other.assignments, check_exact=True)
    assert made[0][0].count == 3


def test_given_distances_give_the_same_segments_as_points() -> None:
    points, _ = _two_densities()
    features = features_of(points[::3])
    plain = gauger.segment_by_density_levels(features)
    given_ones = gauger.segment_by_density_levels(features, metric=all_distances(points[::3]))
    assert (plain.codes == given_ones.codes).all()


def test_many_outsiders_are_remarked() -> None:
    rng = np.random.default_rng(1)
    points = np.vstack([rng.normal(scale=0.1, size=(60, 2)), rng.normal(scale=0.1, size=(60, 2)) + 5.0])
    scattered = rng.uniform(-60.0, 60.0, size=(200, 2))
    seg = gauger.segment_by_density_levels(features_of(np.vstack([points, scattered])), 50)
    assert seg.count == 2
    assert "many-unassigned" in {remark.code for remark in seg.remarks}


@pytest.mark.parametrize("smallest", [1, 0, 13, 2.5, True])
def test_a_smallest_segment_out_of_range_is_refused(smallest: object) -> None:
    with pytest.raises(SettingError, match=r"from 2 to the 12 there are"):
        gauger.segment_by_density_levels(features_of(np.arange(12.0)), smallest)


def test_depth_is_the_logarithm_of_how_much_denser_a_branch_is_than_where_it_came_apart() -> None:
    points = np.array([0, 1, 2, 3, 4, 100, 102, 104, 106, 108.0])[:, None]
    features = features_of(points)
    near = neighbours_of(features, order_customers(features), "euclidean")
    reach = near.nth_distances(2)
    found = hierarchy_of(merges_of_links(*near.links(reach, lambda _: None)), 5)
    assert sorted(depths(found, reach, 1)[1:]) == pytest.approx([np.log(96.0 / 2.0), np.log(96.0 / 1.0)])


@pytest.mark.parametrize("d", [2, 3])
def test_a_dense_spot_inside_a_wide_cloud_is_a_segment_and_the_cloud_around_it_another(d: int) -> None:
    for seed in range(5):
        rng = np.random.default_rng(seed)
        own = rng.random(1_000) < 0.3
        points = rng.normal(size=(1_000, d))
        points[own] = 0.1 * points[own] + 0.7 * rng.normal(size=d)
        seg = gauger.segment_by_density_levels(features_of(points))
        assert seg.count == 2
        spot = seg.branches["inside"].to_numpy()
        assert seg.branches.loc[spot, "segment"].tolist() == [2]
        assert ((seg.codes == 2) & own).sum() >= 0.8 * max(own.sum(), (seg.codes == 2).sum())


def test_many_spots_inside_a_cloud_are_all_found() -> None:
    rng = np.random.default_rng(1)
    points = rng.normal(size=(2_000, 2))
    for spot in range(8):
        points[100 * spot : 100 * (spot + 1)] = 0.02 * rng.normal(size=(100, 2)) + 3.0 * rng.random(2) - 1.5
    codes = gauger.segment_by_density_levels(features_of(points)).codes
    homes = [int(np.bincount(codes[100 * spot : 100 * (spot + 1)]).argmax()) for spot in range(8)]
    assert len(set(homes) - {0}) == 8


def test_a_tenth_of_the_customers_five_deviations_off_is_mostly_found() -> None:
    found = 0
    for seed in range(10):
        rng = np.random.default_rng(seed)
        own = rng.random(2_000) < 0.1
        points = rng.normal(size=(2_000, 2)) + 5.0 * own[:, None] * [1.0, 0.0]
        seg = gauger.segment_by_density_levels(features_of(points))
        found += seg.count == 2 and (seg.codes[own] == 2).sum() > 0.25 * own.sum()
    assert found >= 8


@pytest.mark.slow
@pytest.mark.parametrize("make", ["normal", "exponential", "random", "standard_t"])
def test_clouds_of_one_peak_stay_one_segment(make: str) -> None:
    counts = []
    for seed in range(8):
        draw = getattr(np.random.default_rng(seed), make)
        values = draw(4.0, size=(600, 3)) if make == "standard_t" else draw(size=(600, 3))
        counts.append(gauger.segment_by_density_levels(features_of(values)).count)
    assert sum(count > 1 for count in counts) <= 1


def test_the_valley_of_reaches_is_between_the_two_highest_of_several_peaks() -> None:
    rng = np.random.default_rng(0)
    clumps = [rng.normal(middle, 0.2, size) for middle, size in ((0.0, 400), (4.0, 40), (8.0, 300), (12.0, 50))]
    assert 1.0 < _valley(np.sort(np.concatenate(clumps))) < 7.0
    assert 8.6 < _valley(np.sort(np.concatenate(clumps[1:]))) < 11.4
