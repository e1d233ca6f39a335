"""The study of the radius: its table against the method itself, the advice on odd shapes, the dial, and bad input."""

from dataclasses import replace

import numpy as np
import pandas as pd
import pytest
from naive_density import all_distances, features_of

import gauger
from benchmarks.odd_shapes import SHAPES, make_shape
from gauger.algorithms.diagnostics.knee import Knee
from gauger.algorithms.statistics.contingency import adjusted_rand
from gauger.choosing.radius_advice import RadiusAdvice, advise_radius, plateaus_of, weighed_with_groups
from gauger.choosing.radius_studies import _about, _levels, _spread
from gauger.clustering import key_ranks, neighbours_of, order_customers
from gauger.errors import SettingError
from tests.examples import thoroughly


def _recovered(codes: np.ndarray, groups: np.ndarray) -> float:
    """Agreement on the planted customers; those left unassigned are a group of their own."""
    return adjusted_rand(codes[groups > 0], groups[groups > 0])


@pytest.mark.slow
@pytest.mark.parametrize(("noise", "seed"), [(0.0, 1), (0.1, 2)])
@pytest.mark.parametrize("shape", thoroughly(SHAPES))
def test_planted_groups_are_recovered_at_the_advised_radius_and_by_levels(shape: str, noise: float, seed: int) -> None:
    points, groups = make_shape(shape, noise=noise, seed=seed)
    features = features_of(points)
    study = gauger.study_radius(features)
    assert study.advice.verdict == "clear"
    assert study.groups == groups.max()
    at_radius = gauger.segment_by_density(features, study.advice.radius)
    assert _recovered(at_radius.codes, groups) >= 0.95
    assert _recovered(gauger.segment_by_density_levels(features).codes, groups) >= 0.95


@pytest.mark.slow
@pytest.mark.parametrize("customers", thoroughly([300, 1_500]))
@pytest.mark.parametrize("noise", [0.0, 0.1])
def test_on_even_customers_density_plainly_finds_nothing(noise: float, customers: int) -> None:
    points, _ = make_shape("uniform", noise=noise, seed=4, customers=customers)
    study = gauger.study_radius(features_of(points))
    assert study.advice.verdict == "no structure"
    assert study.groups == 1
    assert study.advice.reasons[0].startswith("Density finds nothing here")
    assert gauger.segment_by_density(features_of(points), study.advice.radius).sizes.max() > 0.9 * len(points)


@pytest.fixture(scope="module")
def rings() -> tuple[gauger.FeatureSet, gauger.RadiusStudy]:
    points, _ = make_shape("rings", noise=0.1, seed=3, customers=600)
    features = features_of(points)
    return features, gauger.study_radius(features)


@pytest.mark.slow
def test_the_distances_are_those_to_the_nth_nearest_sorted(rings: tuple) -> None:
    features, study = rings
    assert study.min_points == 4
    expected = np.sort(np.sort(all_distances(features.values), axis=1)[:, 3])
    assert study.distances == pytest.approx(expected)


@pytest.mark.slow
def test_every_row_of_the_table_is_what_that_radius_makes_of_the_customers(rings: tuple) -> None:
    features, study = rings
    made = [gauger.segment_by_density(features, radius) for radius in study.table.index]
    assert len(made) == 12
    for seg, (_, row) in zip(made, study.table.iterrows(), strict=True):
        assert row["segments"] == seg.count
        assert row["fair_segments"] == (seg.sizes >= round(0.02 * len(seg.codes))).sum()
        assert row["unassigned_share"] == pytest.approx((seg.codes == 0).mean())
        assert row["largest_share"] == pytest.approx(seg.sizes.max() / len(seg.codes))
    for one, other, agreement in zip(made, made[1:], study.table["agreement"], strict=False):
        assert agreement == pytest.approx(adjusted_rand(one.codes, other.codes))
    assert np.isnan(study.table["agreement"].iloc[-1])
    assert study.knee is not None
    assert study.knee.height in study.table.index
    assert study.table.index.is_monotonic_increasing


def test_the_dial_goes_from_many_small_segments_to_few_large_ones(rings: tuple) -> None:
    _, study = rings
    radii = [study.radius_for(coarseness) for coarseness in np.linspace(0.0, 1.0, 21)]
    rows = study.table.loc[radii]
    assert rows["segments"].is_monotonic_decreasing
    assert rows["unassigned_share"].is_monotonic_decreasing
    assert rows["segments"].iloc[0] == study.table["segments"].max()
    assert rows["segments"].iloc[-1] > 1
    assert len(set(radii)) > 4


@pytest.mark.parametrize("coarseness", [-0.1, 1.1, np.nan, "0.5", None, True])
def test_a_coarseness_outside_0_to_1_is_refused(rings: tuple, coarseness: object) -> None:
    with pytest.raises(SettingError, match=r"must be a number from 0 \(many small segments\) to 1"):
        rings[1].radius_for(coarseness)


@pytest.mark.slow
def test_the_order_of_rows_changes_nothing(rings: tuple) -> None:
    features, study = rings
    order = np.random.default_rng(1).permutation(len(features.keys))
    turned = gauger.study_radius(features_of(features.values[order], features.keys[order]))
    pd.testing.assert_frame_equal(study.table, turned.table)
    assert study.advice == turned.advice


@pytest.mark.slow
def test_several_min_points_are_compared_and_the_surest_taken(rings: tuple) -> None:
    features, study = rings
    several = gauger.study_radius(features, min_points=[4, 8, 500])
    assert several.by_min_points.index.tolist() == [4, 8, 500]
    assert several.by_min_points.loc[4, "radius"] == study.advice.radius
    assert several.min_points == several.advice.min_points
    assert several.by_min_points.loc[several.min_points, "verdict"] == "clear"
    assert several.by_min_points.loc[500, "verdict"] != "clear"
    assert study.by_min_points.index.tolist() == [4]


@pytest.mark.slow
def test_other_metrics_and_given_distances_are_studied_too(rings: tuple) -> None:
    features, study = rings
    given = gauger.study_radius(features, metric=all_distances(features.values))
    assert given.advice.radius == pytest.approx(study.advice.radius)
    city = gauger.study_radius(features, metric="city_block")
    expected = np.sort(np.sort(all_distances(features.values, city=True), axis=1)[:, 3])
    assert city.distances == pytest.approx(expected)
    assert city.advice.verdict == "clear"


def test_copies_do_not_make_a_radius_of_zero() -> None:
    rng = np.random.default_rng(5)
    points = np.repeat(rng.integers(0, 6, size=(40, 2)) + 40.0 * rng.integers(0, 2, size=(40, 1)), 8, axis=0)
    study = gauger.study_radius(features_of(points))
    assert (study.table.index > 0.0).all()
    assert study.groups == 2
    assert gauger.segment_by_density(features_of(points), study.advice.radius).count == 2
    assert "dense-by-copies" in {remark.code for remark in study.remarks}


@pytest.mark.slow
def test_validity_of_many_customers_is_a_sample_and_says_so() -> None:
    points, _ = make_shape("bands", seed=6, customers=3_000)
    study = gauger.study_radius(features_of(points))
    assert [remark.code for remark in study.remarks] == ["validity-sampled"]
    assert study.advice.verdict == "clear"


@pytest.mark.parametrize(
    ("values", "options", "message"),
    [
        (np.full((9, 2), 3.0), {}, "all customers are equal on these features: there is no radius to study"),
        (np.arange(9.0), {"min_points": 1}, "whole number from 2"),
        (np.arange(9.0), {"min_points": [4, 10]}, "up to the number of customers, 9"),
        (np.arange(9.0), {"min_points": []}, "names none to study"),
        (np.arange(9.0), {"metric": "euclidian"}, "Did you mean 'euclidean'"),
        (np.arange(3.0), {}, "needs 4 min points"),
        (np.random.default_rng(1).normal(size=(5, 8)), {}, "density by 8 features needs 16 min points"),
    ],
)
def test_what_cannot_be_studied_is_refused(values: np.ndarray, options: dict, message: str) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.study_radius(features_of(values), **options)


def _table(fair: list[int], agreement: list[float], validity: list[float]) -> pd.DataFrame:
    radii = pd.Index(np.arange(1.0, len(fair) + 1), name="radius")
    shares = {"segments": fair, "fair_segments": fair, "unassigned_share": 0.1, "largest_share": 0.5}
    return pd.DataFrame({**shares, "validity": validity, "agreement": agreement}, index=radii)


def test_plateaus_are_runs_of_as_many_segments_that_agree() -> None:
    table = _table(
        [9, 3, 3, 3, 2, 2, 1], [0.2, 0.95, 0.97, 0.5, 0.99, 0.99, np.nan], [0.1, 0.4, 0.5, 0.5, 0.3, 0.3, np.nan]
    )
    first, second = plateaus_of(table)
    assert (first.first, first.last, first.segments, first.agreement) == (1, 3, 3, 0.95)
    assert (second.first, second.last, second.segments) == (4, 5, 2)
    advice = advise_radius(table, Knee(2.0, 0.9, 0.7), 3, 4)
    assert (advice.radius, advice.verdict) == (3.0, "clear")
    assert advice.reasons[0].startswith("From 2.00 to 4.00 the answer hardly changes: 3 segments")
    assert "at least 0.95" in advice.reasons[0]
    assert list(advice.alternatives) == [5.0]


def test_without_structure_the_radius_with_the_fewest_segments_is_taken() -> None:
    table = _table([40, 9, 3, 2, 2], [0.3, 0.5, 0.7, 0.8, np.nan], [0.1, 0.2, 0.2, 0.1, 0.1])
    table["largest_share"] = [0.2, 0.92, 0.94, 0.95, 0.97]
    advice = advise_radius(table, None, 1, 4)
    assert (advice.radius, advice.verdict) == (4.0, "no structure")
    assert advise_radius(table.assign(largest_share=0.5), None, 1, 4).radius == 5.0


def test_a_plateau_with_the_groups_of_all_radii_comes_before_a_longer_one() -> None:
    table = _table([3, 3, 2, 2, 2, 2], [0.95, 0.5, 0.99, 0.99, 0.99, np.nan], [0.4, 0.4, 0.5, 0.5, 0.5, 0.5])
    advice = advise_radius(table, None, 3, 4)
    assert advice.radius <= 2.0
    assert advice.verdict == "leaning"
    assert advise_radius(table, None, 2, 4).radius >= 3.0


def test_groups_without_a_plateau_are_unclear_and_levels_are_named_as_the_way_out() -> None:
    table = _table([4, 3, 2, 2], [0.3, 0.4, 0.5, np.nan], [0.1, 0.6, 0.2, 0.1])
    advice = advise_radius(table, Knee(2.0, 0.8, 0.3), 4, 4)
    assert (advice.radius, advice.verdict) == (2.0, "unclear")
    text = str(advice)
    assert "the answer depends on the radius" in text
    assert "groups of differing density" in text
    assert "segment_by_density_levels" in text
    assert "no clear knee" in text


def test_a_radius_at_the_edge_of_what_was_compared_is_remarked() -> None:
    rng = np.random.default_rng(0)
    points = np.vstack([rng.normal(size=(100, 2)), rng.normal(size=(100, 2)) + 1e4])
    study = gauger.study_radius(features_of(points))
    assert study.advice.verdict == "clear"
    index = study.table.index.get_loc(study.advice.radius)
    assert ("radius-at-edge" in {remark.code for remark in study.remarks}) == (index in (0, len(study.table) - 1))


@pytest.mark.slow
def test_the_evidence_on_counts_is_heard_where_it_agrees_and_where_it_does_not(rings: tuple) -> None:
    _, study = rings
    assert study.advice.reasons[2].startswith("study_counts, which looks for round groups, sees")
    rng = np.random.default_rng(1)
    corners = np.repeat([[0.0, 0.0], [9.0, 0.0], [0.0, 9.0]], 150, axis=0)
    apart = gauger.study_radius(features_of(corners + rng.normal(size=(450, 2)))).advice
    assert apart.reasons[-1] == "study_counts sees the same 3 groups."
    cloud = gauger.study_radius(features_of(rng.uniform(size=(600, 2)))).advice
    assert cloud.reasons[-1] == "study_counts sees no groups either."


def test_dense_groups_that_only_repeat_a_flag_are_called_a_filter() -> None:
    rng = np.random.default_rng(2)
    flag = (rng.random(600) < 0.4).astype(float)
    advice = gauger.study_radius(features_of(np.column_stack([rng.normal(size=(600, 2)) * 0.3, flag * 6.0]))).advice
    assert advice.verdict == "no structure"
    assert advice.reasons[0].startswith("These groups only repeat the values of x2: a filter does that")
    assert advice.reasons[1].endswith("spread over the gaps around them, the customers are one.")


@pytest.mark.parametrize(
    ("groups", "others", "said"),
    [
        (2, 1, "study_counts sees no groups: it looks for round ones, and these differ in shape or in density"),
        (1, 3, "study_counts does see 3 groups: they touch, and density joins what touches."),
        (4, 3, "study_counts, which looks for round groups, sees 3: it joins or cuts what has another shape."),
    ],
)
def test_where_the_two_studies_differ_the_advice_says_why(rings: tuple, groups: int, others: int, said: str) -> None:
    advice = weighed_with_groups(rings[1].advice, groups, others, None)
    assert advice.reasons[2].startswith(said)
    assert advice.verdict == rings[1].advice.verdict


def test_without_a_plateau_the_radius_itself_is_no_alternative_and_the_most_valid_of_two_segments_is_taken() -> None:
    table = _table([4, 3, 2, 1], [0.3, 0.4, 0.5, np.nan], [0.1, 0.6, 0.2, 0.9])
    advice = advise_radius(table, Knee(2.02, 0.8, 0.9), 4, 4)
    assert advice.radius == 2.0
    assert 2.0 not in advice.alternatives
    unmeasured = _table([2, 1], [0.5, np.nan], [np.nan, np.nan])
    reason = advise_radius(unmeasured, None, 2, 4).reasons[0]
    assert "validity" not in reason.split("With a radius")[1].split(", the most valid")[0]


def test_a_plateau_has_two_radii_and_two_segments_and_three_alternatives_at_most() -> None:
    radii = _table([5, 5, 4, 4, 3, 3, 2, 2, 1, 1], [0.99, 0.1] * 4 + [0.99, np.nan], [0.1] * 9 + [0.9])
    assert [(one.first, one.last, one.segments) for one in plateaus_of(radii)] == [
        (0, 1, 5),
        (2, 3, 4),
        (4, 5, 3),
        (6, 7, 2),
    ]
    assert len(advise_radius(radii, Knee(9.0, 0.9, 0.7), 5, 4).alternatives) == 3


@pytest.mark.slow
def test_few_min_points_have_the_density_levels_of_many() -> None:
    """The groups that all radii show do not hang on min points: they are smoothed as density levels are by default."""
    points = np.random.default_rng(2).normal(size=(300, 2)) + np.repeat([[0.0], [6.0]], 150, axis=0)
    features = features_of(points)
    assert gauger.segment_by_density_levels(features).count == 2
    for few in (2, 4):
        assert gauger.study_radius(features, min_points=few).groups == 2
    near = neighbours_of(features, order_customers(features), "euclidean")
    np.testing.assert_array_equal(_levels(near, 2, 2, 300).left, _levels(near, 2, 3, 300).left)


def test_a_customer_as_far_from_its_neighbours_as_the_radius_is_inside() -> None:
    features = features_of(np.arange(10.0)[:, None])
    everyone = order_customers(features)
    near = neighbours_of(features, everyone, "euclidean")
    reach = near.nth_distances(2)
    links, lengths = near.links(reach, lambda _: None)
    for radius, segments in ((1.0, 1), (np.nextafter(1.0, 0.0), 0)):
        group = _spread(near, reach, links[lengths <= radius], radius, key_ranks(features, everyone)).group
        assert (group + 1).max() == segments


def test_where_both_see_groups_the_evidence_is_the_third_reason() -> None:
    table = _table([3, 3, 2], [0.95, 0.5, np.nan], [0.4, 0.4, 0.5])
    advice = advise_radius(table, None, 3, 4)
    heard = weighed_with_groups(advice, 3, 2, None)
    assert heard.reasons[:2] == advice.reasons[:2]
    assert heard.reasons[2].startswith("study_counts, which looks for round groups, sees 2")
    assert heard.reasons[3:] == advice.reasons[2:]


@pytest.mark.parametrize(("radius", "said"), [(1.0, "smallest"), (2.0, None), (3.0, "largest")])
def test_only_the_first_and_the_last_radius_are_at_an_edge(radius: float, said: str | None) -> None:
    table = _table([2, 2, 2], [0.99, 0.99, np.nan], [0.4, 0.4, 0.4])
    advice = RadiusAdvice(radius, 4, "clear", (), {})
    remarks = [*_about(table, advice, 2_000)]
    assert [one.code for one in remarks] == (["radius-at-edge"] if said else [])
    assert all(f"is the {said} that" in one.text for one in remarks)
    assert [one.code for one in _about(table, replace(advice, verdict="no structure"), 2_001)] == ["validity-sampled"]
