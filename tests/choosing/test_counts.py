"""The count study: its table against the parts it is made of, the demo's planted kinds, and bad ranges."""

from collections.abc import Callable, Iterable
from itertools import combinations

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.algorithms.statistics import scaled_dip
from gauger.demo.kinds import BLOCK_BOOKER
from gauger.demo.world import World
from gauger.errors import SettingError
from tests.examples import thoroughly

Make = Callable[..., gauger.FeatureSet]


def _adjusted_rand(one: Iterable[object], other: Iterable[object]) -> float:
    """Hubert & Arabie (1985), from the pairs that both put together."""
    table = pd.crosstab(np.asarray(one), np.asarray(other)).to_numpy()

    def pairs(counts: np.ndarray) -> float:
        return float((counts * (counts - 1) / 2).sum())

    both, ones, others = pairs(table), pairs(table.sum(axis=1)), pairs(table.sum(axis=0))
    expected = ones * others / pairs(np.array([table.sum()]))
    return (both - expected) / ((ones + others) / 2 - expected)


@pytest.mark.slow
def test_the_demo_study_finds_the_six_planted_kinds(demo_study: gauger.CountStudy, world: World) -> None:
    advice = demo_study.advice
    assert (advice.count, advice.verdict) == (6, "leaning")
    table = demo_study.segmentations[6].assignments
    truth = world.kinds.reindex(table["member_id"])
    assert _adjusted_rand(table["segment"], truth) >= 0.75
    private = (truth != BLOCK_BOOKER.name).to_numpy()
    assert _adjusted_rand(table["segment"][private], truth[private]) >= 0.75


def test_the_panel_recognises_the_segments(demo_segments: gauger.Segmentation) -> None:
    panel = gauger.read_table(gauger.demo_file("panel.csv")).merge(demo_segments.assignments, on="member_id")
    assert _adjusted_rand(panel["segment"], panel["answer"]) >= 0.6


def test_the_table_is_made_of_what_each_count_gives(demo_study: gauger.CountStudy) -> None:
    assert demo_study.table.index.tolist() == list(range(1, 11))
    assert demo_study.table["wcss"].is_monotonic_decreasing
    assert np.isnan(demo_study.table.loc[1, "silhouette"])
    seg = demo_study.segmentations[4]
    row = demo_study.table.loc[4]
    assert row["wcss"] == seg.wcss
    assert row["silhouette"] == pytest.approx(gauger.silhouette(seg).mean)
    assert row["smallest_share"] == seg.sizes.min() / seg.sizes.sum()


def test_one_segment_has_all_the_spread(demo_features: gauger.FeatureSet, demo_study: gauger.CountStudy) -> None:
    assert demo_study.table.loc[1, "wcss"] == pytest.approx(len(demo_features.keys) * len(demo_features.names))


def test_the_criteria_agree_with_their_definitions(demo_study: gauger.CountStudy) -> None:
    seg, row = demo_study.segmentations[4], demo_study.table.loc[4]
    n, spread = len(seg.codes), demo_study.table.loc[1, "wcss"]
    assert row["wcss_share"] == pytest.approx(seg.wcss / spread)
    assert row["calinski_harabasz"] == pytest.approx((spread - seg.wcss) / 3 / (seg.wcss / (n - 4)))
    assert row["silhouette_se"] == 0.0
    assert demo_study.table.loc[1, ["prediction_strength", "stability"]].tolist() == [1.0, 1.0]
    assert demo_study.table["gap_se"].between(0.0, 0.1).all()


def test_each_count_is_no_worse_than_the_one_before_split(demo_study: gauger.CountStudy) -> None:
    for count in range(2, 11):
        before = demo_study.segmentations[count - 1]
        widest = int(before.wcss_by_segment.idxmax())
        own = before.features.values[before.codes == widest]
        step = np.where(np.arange(own.shape[1]) == own.var(axis=0).argmax(), own.std(axis=0), 0.0)
        middle = before.scaled_centres[widest - 1]
        halves = np.vstack([np.delete(before.scaled_centres, widest - 1, axis=0), middle - step, middle + step])
        split = gauger.segment_by_kmeans(before.features, count, seeding=halves)
        assert demo_study.table.loc[count, "wcss"] <= split.wcss * (1 + 1e-9)


@pytest.mark.slow
def test_clouds_without_groups_have_no_structure(features_of: Make) -> None:
    for seed in range(3):
        values = np.random.default_rng(seed).normal(size=(400, 4))
        advice = gauger.study_counts(features_of(values), counts=range(1, 8), starts=3).advice
        assert (advice.count, advice.verdict) == (1, "no structure")


@pytest.mark.slow
def test_the_order_of_rows_changes_no_figure(demo_features: gauger.FeatureSet) -> None:
    table = demo_features.original.reset_index()
    turned = table.iloc[np.random.default_rng(0).permutation(len(table))]
    names = list(demo_features.names)[::-1]
    studies = [
        gauger.study_counts(gauger.prepare(rows, key="member_id", features=features), counts=range(1, 5), resamples=3)
        for rows, features in ((table, names[::-1]), (turned, names))
    ]
    pd.testing.assert_frame_equal(studies[0].table, studies[1].table, rtol=1e-9)
    assert studies[0].advice.reasons == studies[1].advice.reasons


@pytest.mark.slow
def test_threads_do_not_change_a_study(features_of: Make, monkeypatch: pytest.MonkeyPatch) -> None:
    features = features_of(np.random.default_rng(1).normal(size=(300, 2)))
    tables = []
    for threads in ("1", "3"):
        monkeypatch.setenv("GAUGER_THREADS", threads)
        tables.append(gauger.study_counts(features, counts=range(1, 4), resamples=3).table)
    pd.testing.assert_frame_equal(*tables, check_exact=True)


def test_large_tables_are_measured_on_samples_and_say_so(features_of: Make) -> None:
    values = np.random.default_rng(0).normal(size=(12_000, 2))
    study = gauger.study_counts(features_of(values), counts=[2, 3], starts=1, exact_up_to=11_000, resamples=2)
    assert [remark.code for remark in study.remarks] == ["silhouette-sampled", "criteria-sampled"]
    assert "10,000 of 12,000" in study.remarks[0].text
    assert "2,500 of 12,000" in study.remarks[1].text
    assert (study.table["silhouette_se"] > 0.0).all()


def test_a_lone_flag_is_a_filter_and_no_group(features_of: Make) -> None:
    rng = np.random.default_rng(2)
    values = np.column_stack([rng.normal(size=400) * 0.2, rng.normal(size=400) * 0.2, rng.random(400) < 0.4])
    study = gauger.study_counts(features_of(values), counts=range(1, 6))
    assert (study.advice.count, study.advice.verdict) == (1, "no structure")
    assert study.advice.reasons[0] == (
        "Split in 2, segments only repeat the values of f2: a filter on f2 does that, no segments are needed."
    )
    assert study.advice.filters == {"f2": "the values of f2"}
    assert [(remark.code, remark.features) for remark in study.remarks] == [("filter-would-do", ("f2",))]


@pytest.mark.slow
def test_a_category_and_a_value_of_many_are_named_in_the_units_of_the_table() -> None:
    rng = np.random.default_rng(3)
    share = np.where(rng.random(700) < 0.5, 0.0, rng.beta(2.0, 3.0, 700))
    table = pd.DataFrame({"who": range(700), "visits": rng.normal(9.0, 2.0, 700), "spend": rng.normal(size=700)})
    table = table.assign(share_online=share, region=rng.choice(["east", "south", "west"], 700))
    names = ["visits", "spend", "share_online"]
    features = gauger.prepare(table, key="who", features=names, categories=["region"])
    advice = gauger.study_counts(features, counts=range(1, 6), resamples=2).advice
    zeros = (share == 0.0).mean()
    assert advice.verdict == "no structure"
    assert advice.filters == {
        "region": "the levels of region",
        "share_online": f"the {zeros:.0%} with share_online 0",
    }


@pytest.mark.slow
def test_groups_that_a_feature_hides_are_shown_without_it_and_the_next_step_leaves_it_out(features_of: Make) -> None:
    rng = np.random.default_rng(4)
    groups = np.repeat([[0.0, 0.0], [6.0, 0.0], [0.0, 6.0], [6.0, 6.0]], 120, axis=0) + rng.normal(size=(480, 2))
    advice = gauger.study_counts(
        features_of(np.column_stack([groups, rng.normal(size=(480, 8))])), counts=range(1, 7), resamples=2
    ).advice
    assert advice.count == 4
    assert set(advice.leave_out) <= {f"f{index}" for index in range(2, 10)}
    assert len(advice.leave_out) >= 6


def _depth_by_hand(one: np.ndarray, other: np.ndarray) -> float:
    """The scaled dip along Fisher's line, the larger segment thinned to twice the smaller: as the guide says it."""
    small, large = sorted((one, other), key=len)
    pooled = (np.cov(small.T, bias=True) * len(small) + np.cov(large.T, bias=True) * len(large)) / (
        len(small) + len(large)
    )
    line = np.linalg.solve(np.atleast_2d(pooled), large.mean(axis=0) - small.mean(axis=0))
    along = np.sort(large @ line)
    kept = np.linspace(0, len(along) - 1, min(len(along), 2 * len(small))).round().astype(int)
    return scaled_dip(np.sort(np.concatenate([small @ line, along[kept]])))


@pytest.mark.slow
@pytest.mark.parametrize("first", thoroughly(range(0, 50, 5)))
def test_what_is_said_of_each_two_segments_holds_of_those_that_are_given(features_of: Make, first: int) -> None:
    for seed in range(first, first + 5):
        rng = np.random.default_rng(seed)
        count, d = int(rng.integers(2, 5)), int(rng.integers(2, 5))
        corners = rng.permutation(np.stack(np.meshgrid(*[[0.0, 1.0]] * d), axis=-1).reshape(-1, d))[:count]
        values = np.repeat(corners, 50, axis=0) * rng.uniform(2.5, 6.0) + rng.normal(size=(50 * count, d))
        features = features_of(values)
        advice = gauger.study_counts(features, counts=range(1, 5), references=2, resamples=2).advice
        given = gauger.segment_by_kmeans(features, advice.count)
        depths = [
            _depth_by_hand(features.values[given.codes == one], features.values[given.codes == other])
            for one, other in combinations(range(1, advice.count + 1), 2)
        ]
        if "thin out between each two segments" in advice.reasons[0]:
            assert min(depths) > 0.5
        elif advice.verdict == "no structure":
            assert depths == []
        else:
            assert min(depths) < 0.8


def test_a_range_that_ends_too_early_is_said(features_of: Make) -> None:
    rng = np.random.default_rng(3)
    indices = np.repeat(rng.permutation(25)[:6], 60)
    values = np.column_stack([indices % 5 * 9.0, indices // 5 * 9.0]) + rng.normal(size=(360, 2))
    advice = gauger.study_counts(features_of(values), counts=range(1, 4)).advice
    assert advice.count == 3
    assert any("highest count tried" in reason for reason in advice.reasons)


@pytest.mark.slow
def test_rounds_that_ran_out_are_remarked(demo_features: gauger.FeatureSet) -> None:
    study = gauger.study_counts(demo_features, counts=[5, 6], starts=1, max_iterations=1, resamples=2)
    assert [remark.code for remark in study.remarks] == ["not-converged"]
    assert "with 5 and 6 segments" in study.remarks[0].text


@pytest.mark.parametrize(
    ("counts", "message"),
    [
        ([], "counts is empty"),
        ([3, 2], "must rise from 1 or more without repeats"),
        ([2, 2], "without repeats"),
        ([0, 1], "must rise from 1"),
        ([1.5, 2], "must be whole numbers"),
        (range(1, 7), "go up to 6, but there are only 5 customers"),
    ],
)
def test_impossible_counts_are_refused(features_of: Make, counts: Iterable[int], message: str) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.study_counts(features_of([[1.0], [2.0], [3.0], [4.0], [9.0]]), counts=counts)


@pytest.mark.parametrize("settings", [{"references": 1}, {"resamples": 0}, {"seed": -1}, {"starts": 0}])
def test_impossible_settings_are_refused(features_of: Make, settings: dict) -> None:
    with pytest.raises(SettingError, match=f"{next(iter(settings))}="):
        gauger.study_counts(features_of([[1.0], [2.0], [3.0]]), counts=[1, 2], **settings)


def test_more_segments_than_distinct_customers_is_said(features_of: Make) -> None:
    with pytest.raises(SettingError, match="only 2 distinct combinations"):
        gauger.study_counts(features_of([[1.0], [1.0], [2.0], [2.0]]), counts=range(1, 4))


@pytest.mark.parametrize("seed", range(3))
def test_rows_of_a_join_are_remarked_and_counted_once(seed: int) -> None:
    rng = np.random.default_rng(seed)
    own = np.column_stack([rng.normal(50.0, 12.0, 300).round(), rng.normal(30.0, 6.0, 300), rng.normal(8.0, 2.0, 300)])
    rows = np.concatenate([np.arange(300), rng.integers(0, 300, 900)])
    table = pd.DataFrame(own[rows], columns=["age", "income", "tenure"]).assign(value=rng.normal(20.0, 4.0, 1_200))
    features = gauger.prepare(table.assign(order=range(1_200)), key="order", features=list(table))
    study = gauger.study_counts(features, counts=range(1, 5), starts=2, references=3, resamples=3)
    (said,) = [one for one in study.remarks if one.code == "rows-repeat-customers"]
    assert set(said.features) == {"age", "income", "tenure"}
    assert "only 300 combinations in 1,200 rows" in said.text
    assert study.advice.verdict == "no structure"
