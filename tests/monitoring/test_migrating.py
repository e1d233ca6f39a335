"""Drift, migration and alignment, against figures worked by hand."""

import numpy as np
import pandas as pd
import pytest
from naive_density import features_of
from scipy.stats import binomtest

import gauger
from gauger.errors import ColumnValuesError, SettingError
from gauger.segmentation import segmentation_from_codes


def _one_feature(values: np.ndarray) -> tuple[gauger.SegmentModel, pd.DataFrame]:
    table = pd.DataFrame({"who": range(len(values)), "x": values})
    return gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2)), table


def _assigned(codes: dict[str, int]) -> pd.DataFrame:
    return pd.DataFrame({"who": list(codes), "segment": list(codes.values())})


def test_migration_is_worked_by_hand() -> None:
    before = _assigned(dict(zip("abcdefgh", [1, 1, 1, 1, 2, 2, 0, 3], strict=True)))
    after = _assigned(dict(zip("abcdefgx", [1, 1, 2, 3, 2, 0, 1, 1], strict=True)))
    worth = pd.Series(range(1, 9), index=list("abcdefgh"))
    found = gauger.migration(before, after, key="who", value=worth)
    assert found.crossing.index.tolist() == [1, 2, 3, "unassigned"]
    assert found.crossing.to_numpy().tolist() == [[2, 1, 1, 0], [0, 1, 0, 1], [0, 0, 0, 0], [1, 0, 0, 0]]
    assert found.value.to_numpy().tolist() == [[3, 3, 4, 0], [0, 5, 0, 6], [0, 0, 0, 0], [7, 0, 0, 0]]
    assert (found.only_second.tolist(), found.only_first.tolist()) == (["x"], ["h"])
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
    away = np.where(was == 1, np.where(rng.random(600) < 0.8, 2, 3), rng.integers(1, 4, 600))
    now = np.where(rng.random(600) < 0.3, away, was)
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


@pytest.mark.slow
def test_random_migrations_flag_a_way_no_oftener_than_one_in_twenty() -> None:
    rng = np.random.default_rng(1)
    flagged = 0
    for _ in range(120):
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
    assert flagged <= 0.05 * 120


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


def _moves(*rows: tuple[int, int, int]) -> gauger.Migration:
    """Customers by the segments they went from and to."""
    was = [first for first, _, many in rows for _ in range(many)]
    now = [second for _, second, many in rows for _ in range(many)]
    keys = [f"c{at:04d}" for at in range(len(was))]
    return gauger.migration(
        _assigned(dict(zip(keys, was, strict=True))), _assigned(dict(zip(keys, now, strict=True))), key="who"
    )


def test_surprise_is_two_sided_and_corrected_for_the_number_of_ways() -> None:
    """Of 40 who leave segment 1, by sizes half should go each way; 33 went to 2. Six ways in all, of which two are
    walked: both p are small, and Holm multiplies the smaller by six."""
    found = _moves((1, 1, 60), (1, 2, 33), (1, 3, 7), (2, 2, 100), (3, 3, 100)).flows.set_index(["before", "after"])
    more, less = binomtest(33, 40, 0.5, "greater").pvalue, binomtest(7, 40, 0.5, "less").pvalue
    assert found.loc[(1, 2), "expected"] == pytest.approx(20.0)
    assert found.loc[(1, 2), "p_adjusted"] == pytest.approx(6 * 2 * more)
    assert found.loc[(1, 3), "p_adjusted"] == pytest.approx(max(6 * 2 * more, 5 * 2 * less))
    assert found["exceeds"].tolist() == [True, False]  # fewer than by chance is no excess
    assert found.loc[(1, 2), "share"] == pytest.approx(0.33)
    assert found.index.tolist() == [(1, 2), (1, 3)]


def test_of_two_segments_whoever_leaves_has_one_way_to_go() -> None:
    found = _moves((1, 1, 10), (1, 2, 5), (2, 2, 20)).flows
    assert found["p_adjusted"].tolist() == [1.0]
    assert found["expected"].tolist() == [5.0]
    assert not found["exceeds"].any()


def test_a_way_that_nobody_could_be_expected_to_go_is_infinitely_often_gone() -> None:
    """Nobody was in segment 3 before, so that by sizes nobody would go there."""
    found = _moves((1, 1, 10), (1, 2, 5), (1, 3, 1), (2, 2, 20)).flows.set_index(["before", "after"])
    assert found.loc[(1, 3), ["expected", "ratio", "low", "high"]].tolist() == [0.0, np.inf, np.inf, np.inf]
    assert found.loc[(1, 3), "p_adjusted"] == 0.0
    assert found.loc[(1, 2), "p_adjusted"] == pytest.approx(0.0)


def test_a_way_as_often_gone_as_expected_does_not_exceed() -> None:
    found = _moves((1, 1, 10), (1, 2, 4), (1, 3, 4), (2, 2, 20), (3, 3, 20)).flows
    assert found["ratio"].tolist() == [1.0, 1.0]
    assert found["p_adjusted"].tolist() == [1.0, 1.0]
    assert not found["exceeds"].any()


@pytest.mark.parametrize(("went", "exceeds"), [(34, True), (31, False)])
def test_a_way_exceeds_up_to_five_in_a_hundred(went: int, exceeds: bool) -> None:
    """Of 44 who leave, half should go each way. Twelve times the p of 34 is 0.002, and of 31 it is 0.057."""
    flows = _moves((1, 1, 60), (1, 2, went), (1, 3, 44 - went), (2, 2, 104), (3, 3, 104)).flows
    p = binomtest(went, 44, 0.5, "greater").pvalue
    assert flows["p_adjusted"][0] == pytest.approx(min(1.0, 12.0 * p))
    assert bool(flows["exceeds"][0]) == (12.0 * p <= 0.05) == exceeds


def test_who_is_unassigned_at_one_time_alone_has_a_place_in_the_table() -> None:
    for first, second in (({"a": 1, "b": 2}, {"a": 1, "b": 0}), ({"a": 1, "b": 0}, {"a": 1, "b": 2})):
        found = gauger.migration(_assigned(first), _assigned(second), key="who")
        assert found.crossing.index.tolist() == [1, 2, "unassigned"]
    plain = gauger.migration(_assigned({"a": 1}), _assigned({"a": 2}), key="who")
    assert plain.crossing.index.tolist() == [1, 2]


def test_the_interval_is_between_quantiles_of_five_hundred_bootstrap_samples() -> None:
    found = _moves((1, 1, 70), (1, 2, 20), (2, 2, 50), (2, 1, 11))
    draws = np.random.default_rng(0).multinomial(151, np.array([70, 20, 11, 50]) / 151, size=500)
    moved = 1.0 - (draws[:, 0] + draws[:, 3]) / 151
    assert (found.moved_low, found.moved_high) == pytest.approx(tuple(np.quantile(moved, [0.025, 0.975])))


def test_a_draw_is_the_seeds() -> None:
    tables = (
        _assigned({f"c{at}": 1 + at % 2 for at in range(900)}),
        _assigned({f"c{at}": 1 + at % 3 for at in range(900)}),
    )
    first, again, other = (gauger.migration(*tables, key="who", **seed) for seed in ({}, {"seed": 0}, {"seed": 5}))
    assert (first.moved_low, first.moved_high) == (again.moved_low, again.moved_high)
    assert (first.moved_low, first.moved_high) != (other.moved_low, other.moved_high)


def test_shares_of_a_segment_that_nobody_was_in_are_unknown() -> None:
    shares = _moves((1, 1, 3), (1, 2, 1)).shares
    assert shares.loc[1].tolist() == [0.75, 0.25]
    assert shares.loc[2].isna().all()


def test_the_noun_is_the_keys() -> None:
    tables = [pd.DataFrame({"member_id": ["a"], "segment": [one]}) for one in (1, 2)]
    assert gauger.migration(*tables, key="member_id").headline().startswith("100% of 1 member moved")


def test_everybody_in_one_segment_moves_nowhere() -> None:
    found = _moves((1, 1, 10))
    assert (found.moved, found.moved_low, found.moved_high, found.chance) == (0.0, 0.0, 0.0, 0.0)
    assert found.flows.empty


def test_the_interval_of_the_share_that_moved_is_the_bootstraps() -> None:
    found = _moves((1, 1, 150), (1, 2, 50))
    assert found.moved == 0.25
    spread = np.sqrt(0.25 * 0.75 / 200)
    assert found.moved_low == pytest.approx(0.25 - 1.96 * spread, abs=0.012)
    assert found.moved_high == pytest.approx(0.25 + 1.96 * spread, abs=0.012)


def test_values_of_other_customers_are_no_values() -> None:
    one = _assigned({"a": 1, "b": 2})
    with pytest.raises(gauger.errors.UnknownColumnError, match="is no customer of both times"):
        gauger.migration(one, one, key="who", value=pd.Series([1.0], index=["z"]))
    part = gauger.migration(one, one, key="who", value=pd.Series([3.0, 5.0], index=["b", "z"]))
    assert part.value.to_numpy().tolist() == [[0.0, 0.0], [0.0, 3.0]]


def test_only_one_time_is_said_in_its_own_words() -> None:
    before, after = _assigned({"a": 1, "b": 2}), _assigned({"a": 1, "b": 2, "c": 1})
    (new,) = gauger.migration(before, after, key="who").remarks
    assert str(new).startswith("1 customer is new: movement is of those")
    (lost,) = gauger.migration(after, before, key="who").remarks
    assert str(lost).startswith("1 customer is lost: movement is of those")
    assert gauger.migration(before, before, key="who").remarks == ()


def test_names_before_win_and_the_unassigned_have_one() -> None:
    features = features_of(np.arange(6.0))
    first = segmentation_from_codes(features, np.array([1, 1, 1, 2, 2, 0]), method="old").rename({1: "regulars"})
    second = segmentation_from_codes(features, np.array([1, 1, 2, 2, 3, 3]), method="new").rename(
        {1: "x", 3: "new ones"}
    )
    found = gauger.migration(first, second)
    assert found.names == {1: "regulars", 2: "segment 2", 3: "new ones", "unassigned": "unassigned"}
    assert found.customers["moved"].tolist() == [False, False, True, False, True, True]
