"""Density at one radius against its definition: every shape of border, copies, metrics, and what is refused."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from naive_density import all_distances, features_of, naive_density, segments_of

import gauger
from gauger.clustering.customer_distances import distances_of, neighbours_of
from gauger.clustering.ordering import order_customers
from gauger.errors import SettingError
from tests.examples import examples


def by_definition(seg: gauger.Segmentation, points: np.ndarray, radius: float, enough: int, *, city: bool) -> None:
    keys = seg.features.keys
    apart = all_distances(points, city=city)
    core, segments = naive_density(apart, radius, enough, keys)
    assert segments_of(seg) == segments
    kinds = seg.assignments["kind"].to_numpy()
    assert set(np.flatnonzero(kinds == "core").tolist()) == core
    assert ((kinds == "unassigned") == (seg.codes == 0)).all()
    for row in np.flatnonzero(seg.codes == 0):
        nearest = min(core, key=lambda other: (apart[row, other], keys[other]), default=None)
        told = seg.assignments.loc[row]
        if nearest is None:
            assert pd.isna(told["nearest_segment"])
            assert pd.isna(told["nearest_distance"])
        else:
            assert told["nearest_segment"] == seg.codes[nearest]
            assert told["nearest_distance"] == pytest.approx(apart[row, nearest])
    assert seg.assignments.loc[seg.codes > 0, "nearest_segment"].isna().all()


@examples(150)
@given(
    st.integers(4, 120),
    st.integers(1, 3),
    st.integers(1, 12),
    st.integers(1, 9),
    st.integers(2, 8),
    st.booleans(),
    st.integers(0, 10_000),
)
@example(40, 2, 2, 1, 4, False, 0)
def test_core_border_and_outsiders_are_those_of_the_definition(
    n: int, d: int, levels: int, radius: int, enough: int, city: bool, seed: int
) -> None:
    """On grids, so that borders tie, segments touch and customers coincide."""
    rng = np.random.default_rng(seed)
    points = rng.integers(0, levels, size=(n, d)).astype(float)
    keys = rng.permutation(n)
    metric = "city_block" if city else "euclidean"
    reach, least = radius / 2.0, min(enough, n)
    seg = gauger.segment_by_density(features_of(points, keys), reach, min_points=least, metric=metric)
    by_definition(seg, points, reach, least, city=city)


@examples(25)
@given(st.integers(200, 700), st.integers(1, 4), st.floats(0.05, 1.5), st.integers(2, 30), st.integers(0, 10_000))
def test_the_same_on_many_customers_in_clouds(n: int, d: int, radius: float, enough: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    points = rng.normal(size=(n, d)) + 3.0 * rng.integers(0, 3, size=(n, 1))
    seg = gauger.segment_by_density(features_of(points), radius, min_points=enough)
    by_definition(seg, points, radius, enough, city=False)


def test_a_radius_that_is_exactly_a_neighbour_distance_reaches_that_neighbour() -> None:
    rng = np.random.default_rng(8)
    features = features_of(rng.normal(size=(300, 3)))
    everyone = order_customers(features)
    reach = neighbours_of(features, everyone, "euclidean").nth_distances(6)[np.argsort(everyone.order)]
    assert reach == pytest.approx(np.sort(all_distances(features.values), axis=1)[:, 5])
    for row in range(0, 300, 10):
        seg = gauger.segment_by_density(features, float(reach[row]), min_points=6)
        assert seg.assignments["kind"][row] == "core"


def test_segments_that_touch_are_parted_by_the_nearest_core_customer_not_by_who_comes_first() -> None:
    points = np.array([0, 0.5, 1, 1.5, 2.9, 4.5, 5, 5.5, 6.0])
    for order in (np.arange(9), np.arange(9)[::-1], np.random.default_rng(1).permutation(9)):
        seg = gauger.segment_by_density(
            features_of(points[order], np.array(list("abcdefghi"))[order]), 1.6, min_points=4
        )
        by_key = dict(zip(seg.features.keys, seg.codes, strict=True))
        assert by_key["e"] == by_key["d"] != by_key["f"]


def test_a_border_customer_as_near_to_two_goes_to_the_lowest_key() -> None:
    points = np.array([0, 0.5, 1, 1.5, 3, 4.5, 5, 5.5, 6.0])
    for keys in ("abcdefghi", "ihgfedcba"):
        seg = gauger.segment_by_density(features_of(points, list(keys)), 1.5, min_points=4)
        by_key = dict(zip(seg.features.keys, seg.codes, strict=True))
        assert seg.count == 2
        assert seg.assignments["kind"][4] == "border"
        assert by_key["e"] == by_key["a"]


@examples(25)
@given(st.integers(5, 150), st.integers(0, 10_000))
def test_permuting_rows_permutes_the_answer(n: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    points, order = rng.integers(0, 12, size=(n, 2)).astype(float), rng.permutation(n)
    plain = gauger.segment_by_density(features_of(points), 1.0, min_points=3)
    turned = gauger.segment_by_density(features_of(points[order], order), 1.0, min_points=3)
    assert (plain.codes[order] == turned.codes).all()
    assert plain.assignments.loc[order, "kind"].tolist() == turned.assignments["kind"].tolist()


@pytest.mark.parametrize("metric", ["chebyshev", "canberra", "mahalanobis", "cosine", "gower"])
def test_other_metrics_follow_the_same_definition(metric: str) -> None:
    rng = np.random.default_rng(5)
    points = np.abs(rng.normal(size=(90, 3))) + 4.0 * rng.integers(0, 2, size=(90, 1)) + 0.1
    features = features_of(points)
    apart = distances_of(features, metric).between(np.arange(90), np.arange(90))
    radius = float(np.quantile(np.sort(apart, axis=1)[:, 5], 0.6))
    core, segments = naive_density(apart, radius, 6, features.keys)
    seg = gauger.segment_by_density(features, radius, min_points=6, metric=metric)
    assert segments_of(seg) == segments
    assert 0 < len(core) < 90
    assert segments_of(gauger.segment_by_density(features, radius, min_points=6, metric=apart)) == segments


def test_the_same_distances_by_blocks_give_the_same_answer_as_by_boxes() -> None:
    rng = np.random.default_rng(6)
    features = features_of(rng.integers(0, 30, size=(400, 2)))
    apart = all_distances(features.values)
    boxes = gauger.segment_by_density(features, 2.0, min_points=5)
    blocks = gauger.segment_by_density(features, 2.0, min_points=5, metric=apart)
    pd.testing.assert_frame_equal(boxes.assignments, blocks.assignments)


def test_everyone_may_be_unassigned_and_the_remark_gives_the_range() -> None:
    features = features_of(np.arange(20.0) ** 2)
    seg = gauger.segment_by_density(features, 0.001)
    assert seg.count == 0
    assert (seg.codes == 0).all()
    assert seg.centres.empty
    assert seg.sizes.empty
    assert np.isnan(seg.explained)
    assert "20 unassigned" in repr(seg)
    (remark,) = seg.remarks
    assert remark.code == "nobody-dense"
    assert "between these (study_radius" in remark.text


def test_too_wide_a_radius_makes_one_segment_and_the_remark_gives_the_range() -> None:
    seg = gauger.segment_by_density(features_of(np.arange(20.0) ** 2), 1e6)
    assert seg.codes.tolist() == [1] * 20
    (remark,) = seg.remarks
    assert remark.code == "one-large-segment"
    assert "100%" in remark.text
    assert "between these" in remark.text


def test_many_outsiders_are_remarked() -> None:
    seg = gauger.segment_by_density(features_of([0, 1, 2, 3, 20, 40, 60, 80]), 2.0)
    assert [remark.code for remark in seg.remarks] == ["many-unassigned"]
    assert "50%" in seg.remarks[0].text


def test_segments_of_a_few_customers_are_remarked() -> None:
    rng = np.random.default_rng(12)
    points = np.vstack([rng.normal(size=(600, 2)), np.array([[20.0, 20.0]]) + 0.01 * rng.normal(size=(5, 2))])
    (remark,) = gauger.segment_by_density(features_of(points), 1.2).remarks[-1:]
    assert remark.code == "small-dense-segments"
    assert remark.text.startswith("1 of 2 segments has under 1% of the customers, 5 at the least")
    assert remark.segments == (2,)


def test_equal_customers_are_one_segment_by_copies() -> None:
    seg = gauger.segment_by_density(features_of(np.full((30, 2), 7.0)), 0.5)
    assert seg.codes.tolist() == [1] * 30
    assert {remark.code for remark in seg.remarks} == {"one-large-segment", "dense-by-copies"}
    assert "no radius tells them apart" in seg.remarks[0].text


def test_copies_that_meet_min_points_are_counted() -> None:
    rng = np.random.default_rng(2)
    points = np.vstack([rng.normal(size=(80, 2)), np.full((20, 2), 9.0)])
    codes = {r.code: r.text for r in gauger.segment_by_density(features_of(points), 0.6).remarks}
    assert "20 customers (20%) stand on 1 spot with at least 4" in codes["dense-by-copies"]


def test_many_features_report_the_contrast_that_was_measured() -> None:
    rng = np.random.default_rng(3)
    points = rng.normal(size=(180, 12))
    apart = all_distances(points)
    contrast = apart.sum() / (180 * 179) / np.sort(apart, axis=1)[:, 23].mean()
    text = {r.code: r.text for r in gauger.segment_by_density(features_of(points), 4.0).remarks}["many-features"]
    assert f"{contrast:.1f} times" in text
    assert "hardly differ" in text
    apart_groups = points[:, :9] + 40.0 * rng.integers(0, 4, size=(180, 1))
    text = {r.code: r.text for r in gauger.segment_by_density(features_of(apart_groups), 4.0).remarks}["many-features"]
    assert "still differ" in text


@pytest.mark.parametrize("radius", [0, 0.0, -1.0, np.inf, np.nan, "0.3", None, True])
def test_a_radius_that_is_none_is_refused(radius: object) -> None:
    with pytest.raises(SettingError, match=r"must be a number above 0, on the working scale: study_radius"):
        gauger.segment_by_density(features_of(np.arange(9.0)), radius)


@pytest.mark.parametrize("enough", [1, 0, -3, 10, 2.5, True, "4"])
def test_min_points_out_of_range_are_refused(enough: object) -> None:
    with pytest.raises(SettingError, match=r"whole number from 2.* up to the number of customers, 9"):
        gauger.segment_by_density(features_of(np.arange(9.0)), 1.0, min_points=enough)


def test_fewer_customers_than_the_usual_min_points_need_min_points_of_their_own() -> None:
    features = features_of(np.random.default_rng(1).normal(size=(6, 9)))
    with pytest.raises(SettingError, match=r"density by 9 features needs 18 min points .* only 6 customers: leave"):
        gauger.segment_by_density(features, 1.0)
    assert gauger.segment_by_density(features, 100.0, min_points=2).count == 1


def test_an_unknown_metric_is_refused_with_what_there_is() -> None:
    with pytest.raises(SettingError, match=r"Did you mean 'euclidean'"):
        gauger.segment_by_density(features_of(np.arange(9.0)), 1.0, metric="euclidian")
