"""Drift, migration and alignment, against figures worked by hand."""

import numpy as np
import pandas as pd
import pytest
from naive_density import features_of
from scipy.stats import binomtest

import gauger
from gauger.errors import ColumnValuesError, SettingError
from gauger.segmentation import segmentation_from_codes


@pytest.fixture(scope="module")
def model(demo_segments: gauger.Segmentation) -> gauger.SegmentModel:
    return gauger.build_model(demo_segments)


def test_the_same_customers_have_not_drifted(model: gauger.SegmentModel, behaviour: pd.DataFrame) -> None:
    found = gauger.drift(model, behaviour)
    assert found.advice == "keep"
    np.testing.assert_allclose(found.features[["shift", "stability"]], 0.0, atol=1e-12)
    np.testing.assert_allclose(found.segments["share_then"], found.segments["share_now"])
    np.testing.assert_allclose(found.segments["centre_shift"].dropna(), 0.0, atol=1e-9)
    assert found.gated < 0.01
    assert found.remarks == ()


def test_stability_is_worked_by_hand() -> None:
    table = pd.DataFrame({"who": range(20), "x": np.arange(20.0)})
    model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
    now = pd.DataFrame({"who": range(10), "x": [0, 0, 0, 0, 0, 2, 4, 6, 8, 19]})
    shares = np.array([5, 1, 1, 1, 1, 0, 0, 0, 0, 1]) / 10
    shares = np.maximum(shares, 1e-4)
    found = gauger.drift(model, now)
    assert found.features.loc["x", "stability"] == pytest.approx(((shares - 0.1) * np.log(shares / 0.1)).sum())
    assert found.features.loc["x", "shift"] == pytest.approx((3.9 - 9.5) / np.arange(20).std())
    assert found.features.loc["x", "reading"] == "changed"
    assert [remark.code for remark in found.remarks] == ["few-for-drift"]


def _one_feature(values: np.ndarray) -> tuple[gauger.SegmentModel, pd.DataFrame]:
    table = pd.DataFrame({"who": range(len(values)), "x": values})
    return gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2)), table


def test_heaped_values_have_bins_of_their_own() -> None:
    rng = np.random.default_rng(3)
    rest = rng.gamma(2.0, 20.0, 5_000)
    then = np.where(rng.random(5_000) < 0.9, 0.0, rest)
    model, _ = _one_feature(then)
    (feature,) = model.features
    assert feature.shares[0] == pytest.approx((then == 0.0).mean())
    assert sum(feature.shares) == pytest.approx(1.0)
    now = pd.DataFrame({"who": range(5_000), "x": np.where(rng.random(5_000) < 0.07, 0.0, rest)})
    found = gauger.drift(model, now)
    assert found.advice == "learn again"
    assert found.features.loc["x", "stability"] > 2.0
    same = pd.DataFrame({"who": range(5_000), "x": np.where(rng.random(5_000) < 0.9, 0.0, rng.permutation(rest))})
    assert gauger.drift(model, same).advice == "keep"


def test_a_heap_that_grows_in_the_middle_is_seen_too() -> None:
    rng = np.random.default_rng(4)
    model, _ = _one_feature(np.where(rng.random(4_000) < 0.2, 50.0, rng.normal(50.0, 10.0, 4_000)))
    now = pd.DataFrame(
        {"who": range(4_000), "x": np.where(rng.random(4_000) < 0.6, 50.0, rng.normal(50.0, 10.0, 4_000))}
    )
    assert gauger.drift(model, now).features.loc["x", "stability"] > 0.25


def test_an_index_without_a_shift_is_no_reason_to_learn_again_and_a_shift_without_an_index_is_told() -> None:
    rng = np.random.default_rng(5)
    # Recency in days of a weekly habit: a day more moves every heap, and nobody.
    then = rng.geometric(0.2, 6_000) * 7.0
    model, table = _one_feature(then)
    day_later = gauger.drift(model, table.assign(x=then - 1.0))
    assert day_later.features.loc["x", "stability"] > 0.25
    assert abs(day_later.features.loc["x", "shift"]) < 0.1
    assert day_later.advice == "watch"
    far = gauger.drift(model, table.assign(x=np.where(then > np.quantile(then, 0.95), then * 8.0, then)))
    assert far.features.loc["x", "stability"] < 0.1
    assert (far.features.loc["x", "reading"], far.advice) == ("changed", "learn again")


def test_customers_of_another_kind_call_for_learning_again(model: gauger.SegmentModel, behaviour: pd.DataFrame) -> None:
    other = behaviour.assign(visits=behaviour["visits"] * 3 + 10, spend_mean=behaviour["spend_mean"] * 2)
    found = gauger.drift(model, other)
    assert found.advice == "learn again"
    assert "visits and spend_mean have changed" in found.reasons[0]
    assert found.gated > 0.05
    little = gauger.drift(model, behaviour.assign(spend_mean=behaviour["spend_mean"] * 1.04))
    assert little.advice in ("keep", "watch")


def test_missing_values_are_counted_and_left_out_of_the_index(
    model: gauger.SegmentModel, behaviour: pd.DataFrame
) -> None:
    gaps = behaviour.assign(visits=behaviour["visits"].astype(float).mask(np.arange(len(behaviour)) % 2 == 0))
    found = gauger.drift(model, gaps)
    assert found.features.loc["visits", "missing_now"] == pytest.approx(0.5, abs=0.001)
    assert found.segments.loc["unassigned", "share_now"] == pytest.approx(0.5, abs=0.001)


def test_no_customers_and_no_values_are_said(model: gauger.SegmentModel, behaviour: pd.DataFrame) -> None:
    with pytest.raises(SettingError, match="the table has no rows"):
        gauger.drift(model, behaviour.head(0))
    found = gauger.drift(model, behaviour.assign(visits=np.nan))
    assert found.reasons[0] == "visits has no values any more."
    assert found.advice == "learn again"


def _assigned(codes: dict[str, int]) -> pd.DataFrame:
    return pd.DataFrame({"who": list(codes), "segment": list(codes.values())})


def test_migration_is_worked_by_hand() -> None:
    before = _assigned(dict(zip("abcdefgh", [1, 1, 1, 1, 2, 2, 0, 3], strict=True)))
    after = _assigned(dict(zip("abcdefgx", [1, 1, 2, 3, 2, 0, 1, 1], strict=True)))
    worth = pd.Series(range(1, 9), index=list("abcdefgh"))
    found = gauger.migration(before, after, key="who", value=worth)
    assert found.counts.index.tolist() == [1, 2, 3, "unassigned"]
    assert found.counts.to_numpy().tolist() == [[2, 1, 1, 0], [0, 1, 0, 1], [0, 0, 0, 0], [1, 0, 0, 0]]
    assert found.value.to_numpy().tolist() == [[3, 3, 4, 0], [0, 5, 0, 6], [0, 0, 0, 0], [7, 0, 0, 0]]
    assert (found.new.tolist(), found.lost.tolist()) == (["x"], ["h"])
    assert found.moved == 4 / 7
    assert found.chance == pytest.approx(1.0 - (4 * 3 + 2 * 2 + 1 * 1) / 49)
    flow = found.flows.set_index(["before", "after"]).loc[(1, 2)]
    assert flow["expected"] == pytest.approx(2 * 2 / 3)  # two leave; elsewhere before are 2 and 1 customers
    assert flow["ratio"] == pytest.approx(3 / 4)
    new_way = found.flows.set_index(["before", "after"]).loc[(1, 3)]
    assert (new_way["expected"], new_way["exceeds"]) == (0.0, True)  # nobody was in segment 3
    assert found.shares.loc[1].tolist() == [0.5, 0.25, 0.25, 0.0]
    assert "1 customer is new and 1 customer is lost" in found.remarks[0].text
    assert found.headline().startswith("57% of 7 customers moved")


def test_intervals_of_ways_are_exact_ones() -> None:
    rng = np.random.default_rng(0)
    keys = [f"c{at}" for at in range(600)]
    was = rng.integers(1, 4, 600)
    now = np.where(rng.random(600) < 0.3, np.where(was == 1, 2, rng.integers(1, 4, 600)), was)
    found = gauger.migration(
        _assigned(dict(zip(keys, was.tolist(), strict=True))),
        _assigned(dict(zip(keys, now.tolist(), strict=True))),
        key="who",
    )
    way = found.flows.set_index(["before", "after"]).loc[(1, 2)]
    leaving = int(((was == 1) & (now != 1)).sum())
    exact = binomtest(int(way["customers"]), leaving).proportion_ci(method="exact")
    share = way["expected"] / leaving
    assert (way["low"], way["high"]) == pytest.approx((exact.low / share, exact.high / share))
    assert way["exceeds"]
    assert not found.flows.set_index(["before", "after"]).loc[(2, 3), "exceeds"]
    assert found.moved_low < found.moved < found.moved_high


def test_random_migrations_flag_a_way_no_oftener_than_one_in_twenty() -> None:
    rng = np.random.default_rng(1)
    flagged = 0
    for _ in range(200):
        k = int(rng.integers(3, 8))
        sizes = rng.dirichlet(np.full(k, 3.0))
        before = rng.choice(k, 2_000, p=sizes)
        after = before.copy()
        for own in range(k):
            leaving = np.flatnonzero((before == own) & (rng.random(2_000) < 0.2))
            ways = np.where(np.arange(k) == own, 0.0, sizes)
            after[leaving] = rng.choice(k, len(leaving), p=ways / ways.sum())
        table = pd.DataFrame({"who": range(2_000)})
        found = gauger.migration(table.assign(segment=before + 1), table.assign(segment=after + 1), key="who")
        flagged += bool(found.flows["exceeds"].any())
    assert flagged <= 0.05 * 200


def test_nobody_there_both_times_and_values_that_are_none_are_refused() -> None:
    one = _assigned({"a": 1, "b": 2})
    with pytest.raises(SettingError, match="no customer is there at both times"):
        gauger.migration(one, _assigned({"c": 1}), key="who")
    with pytest.raises(SettingError, match="say which column"):
        gauger.migration(one, one)
    with pytest.raises(ColumnValuesError, match="must be a Series of numbers"):
        gauger.migration(one, one, key="who", value=pd.Series(["x"], index=["a"]))


def test_aligned_segments_keep_number_and_name_whatever_they_were() -> None:
    values = np.arange(12.0)
    old = segmentation_from_codes(features_of(values), np.repeat([1, 2, 3], 4), method="old").rename({3: "the rare"})
    shuffled = np.array([2, 2, 2, 3, 1, 1, 1, 1, 3, 3, 3, 0])
    new = segmentation_from_codes(features_of(values), shuffled, method="new").aligned_to(old)
    assert new.codes.tolist() == [1, 1, 1, 3, 2, 2, 2, 2, 3, 3, 3, 0]
    assert new.names[3] == "the rare"
    np.testing.assert_allclose(new.centres.to_numpy().ravel(), [1.0, 5.5, 7.5])
    np.testing.assert_array_equal(np.isnan(new.distances), new.codes == 0)
    assert gauger.compare(new, old).agreement == pytest.approx(10 / 12)


def test_fewer_or_more_segments_are_aligned_without_a_gap() -> None:
    values = np.arange(8.0)
    old = segmentation_from_codes(features_of(values), np.array([1, 1, 2, 2, 3, 3, 4, 4]), method="old")
    fewer = segmentation_from_codes(features_of(values), np.array([1, 1, 1, 1, 2, 2, 2, 2]), method="new")
    assert sorted(fewer.aligned_to(old).sizes.index) == [1, 2]
    more = segmentation_from_codes(features_of(values), np.array([5, 5, 1, 2, 3, 3, 4, 4]), method="new").aligned_to(
        old
    )
    assert more.codes[[0, 4, 6]].tolist() == [1, 3, 4]
    assert sorted({*more.codes[2:4].tolist()}) == [2, 5]
    with pytest.raises(SettingError, match="nothing to align by"):
        fewer.aligned_to(segmentation_from_codes(features_of(values, list("stuvwxyz")), old.codes, method="old"))
