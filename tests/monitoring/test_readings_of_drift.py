"""What drift says of figures that are given: every reading and every reason at its bound."""

import math
from dataclasses import replace

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.monitoring import CustomersNow, FeatureNow, SegmentNow
from gauger.monitoring.drifting import _advise, _reading, drift_from

TABLE = pd.DataFrame({"who": range(400), "x": np.repeat(np.arange(20.0), 20)})
SD = float(TABLE["x"].std(ddof=0))


@pytest.fixture(scope="module")
def model() -> gauger.SegmentModel:
    return gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(TABLE, key="who", scale="none"), 2))


def _as_then(model: gauger.SegmentModel) -> CustomersNow:
    """The customers that the model was learned from, as they were."""
    (feature,) = model.features
    segments = [
        SegmentNow(one.customers / model.customers, centre, one.mean_distance)
        for one, centre in zip(model.segments, model.centres, strict=True)
    ]
    counts = [round(400 * share) for share in feature.shares]
    return CustomersNow(400, [FeatureNow(counts, feature.mean, feature.standard_deviation, 0.0)], segments, 0.0, 0.005)


def _index(then: list[float], now: list[float]) -> float:
    return sum((new - old) * math.log(new / old) for old, new in zip(then, now, strict=True))


def _swapped(model: gauger.SegmentModel, customers: int) -> FeatureNow:
    """Some customers more in the second tenth, and as many fewer in the first; mean and spread as they were."""
    was = _as_then(model).features[0]
    counts = list(was.counts)
    counts[0] -= customers
    counts[1] += customers
    return replace(was, counts=counts)


@pytest.mark.parametrize(
    ("shift", "reading", "action"),
    [
        (0.0, "stable", "keep"),
        (0.249, "stable", "keep"),
        (0.25, "moved", "watch"),
        (-0.25, "moved", "watch"),
        (0.499, "moved", "watch"),
        (0.5, "changed", "learn again"),
        (-0.5, "changed", "learn again"),
    ],
)
def test_a_mean_moves_from_a_quarter_and_changes_from_half_a_deviation(
    shift: float, reading: str, action: str, model: gauger.SegmentModel
) -> None:
    was = _as_then(model)
    own = replace(was.features[0], mean=9.5 + shift * SD * (1.0 + 1e-12))
    found = drift_from(model, replace(was, features=[own]))
    row = found.features.loc["x"]
    assert row["shift"] == pytest.approx(shift)
    assert (row["reading"], found.advice.action) == (reading, action)
    assert (row["mean_then"], row["mean_now"]) == (9.5, own.mean)


@pytest.mark.parametrize(
    ("customers", "mean", "spread", "reading"),
    [
        (25, 0.0, 1.0, "stable"),  # an index of 0.092
        (26, 0.0, 1.0, "moved"),  # 0.101
        (36, 0.0, 1.0, "moved"),  # 0.265, but nobody is elsewhere on average
        (36, 0.0, 0.8, "moved"),
        (36, 0.0, 0.799, "changed"),
        (36, 0.0, 1.2499, "moved"),
        (36, 0.0, 1.251, "changed"),
        (36, 0.099, 1.0, "moved"),
        (36, 0.1001, 1.0, "changed"),
        (36, -0.1001, 1.0, "changed"),
        (35, 0.1001, 1.0, "moved"),  # 0.237
    ],
)
def test_an_index_alone_has_moved_at_most_and_changes_with_mean_or_spread(
    customers: int, mean: float, spread: float, reading: str, model: gauger.SegmentModel
) -> None:
    was = _as_then(model)
    own = replace(
        _swapped(model, customers), mean=9.5 + mean * SD, standard_deviation=spread * was.features[0].standard_deviation
    )
    row = drift_from(model, replace(was, customers=4_000, features=[own])).features.loc["x"]
    shares = [0.1] * 10
    now = [0.1 - customers / 400, 0.1 + customers / 400, *shares[2:]]
    assert row["psi"] == pytest.approx(_index(shares, now))
    assert row["reading"] == reading


@pytest.mark.parametrize(
    ("gated", "action", "reason"),
    [
        (0.0199, "keep", "Features and shares are as they were."),
        (0.02, "watch", "2% are beyond the gate."),
        (0.0499, "watch", "5% are beyond the gate."),
        (0.05, "learn again", "5% are beyond the gate of every segment."),
    ],
)
def test_customers_beyond_the_gates_count_from_two_and_from_five_in_a_hundred(
    gated: float, action: str, reason: str
) -> None:
    many = pd.concat([TABLE] * 10).assign(who=range(4_000))
    model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(many, key="who", scale="none"), 2))
    found = drift_from(model, replace(_as_then(model), customers=4_000, gated=gated))
    assert (found.advice.action, found.advice.reasons) == (action, (reason,))
    assert (found.gated, found.gated_then) == (gated, pytest.approx(0.005))


@pytest.mark.parametrize(
    ("share", "action", "word"), [(0.35, "keep", ""), (0.34, "watch", "moved"), (0.25, "learn again", "changed")]
)
def test_shares_of_segments_move_and_change_by_their_index(
    share: float, action: str, word: str, model: gauger.SegmentModel
) -> None:
    """0.5 and 0.5 then: the index is 0.093 at 0.35, 0.106 at 0.34 and 0.275 at 0.25."""
    was = _as_then(model)
    first, second = was.segments
    found = drift_from(model, replace(was, segments=[replace(first, share=share), replace(second, share=1.0 - share)]))
    index = _index([0.5, 0.5], [share, 1.0 - share])
    assert found.psi == pytest.approx(index)
    assert found.advice.action == action
    if word:
        assert found.advice.reasons == (f"The segments' shares have {word} (index {index:.2f}).",)


def test_an_empty_bin_counts_as_one_in_ten_thousand(model: gauger.SegmentModel) -> None:
    row = drift_from(model, replace(_as_then(model), features=[_swapped(model, 40)])).features.loc["x"]
    assert row["psi"] == pytest.approx(_index([0.1, 0.1], [1e-4, 0.2]))


def test_noise_is_of_the_feature_with_the_most_bins_and_said_beyond_a_twentieth() -> None:
    table = pd.DataFrame({"who": range(360), "x": np.repeat(np.arange(20.0), 18), "flag": np.arange(360) % 2})
    model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
    assert gauger.drift(model, table).remarks == ()  # 9 / 360 twice: 0.05
    (said,) = gauger.drift(model, table[:359]).remarks
    assert "the index is about 0.05 by chance alone" in said.text
    (said,) = gauger.drift(model, table[:1]).remarks
    assert "with 1 customer now and 360 then the index is about 9.03 by chance alone" in said.text


def test_distances_of_centres_have_nine_digits(model: gauger.SegmentModel) -> None:
    was = _as_then(model)
    moved = replace(was.segments[0], middle=model.centres[0] + 1.23456789049)
    found = drift_from(model, replace(was, segments=[moved, was.segments[1]])).segments
    assert found.loc[1, "centre_shift"] == 1.23456789


def test_at_the_bounds_of_the_index_more_has_moved_or_changed() -> None:
    assert [_reading(psi, 0.0, 0.0, stays=False) for psi in (0.0999, 0.1, 0.2499, 0.25)] == [
        *("stable", "moved", "moved", "changed")
    ]
    assert [_reading(0.0, shift, 0.0, stays=True) for shift in (0.2499, 0.25, 0.4999, 0.5)] == [
        *("stable", "moved", "moved", "changed")
    ]
    assert [_reading(0.0, 0.0, missing, stays=True) for missing in (0.0499, 0.05, 0.1999, 0.2)] == [
        *("stable", "moved", "moved", "changed")
    ]
    features = pd.DataFrame({"missing_then": [0.0], "missing_now": [0.0], "reading": ["stable"]}, index=["x"])
    assert [_advise(features, 0.0, psi).action for psi in (0.0999, 0.1, 0.2499, 0.25)] == [
        *("keep", "watch", "watch", "learn again")
    ]


def test_a_spread_at_the_bound_is_as_it_was(model: gauger.SegmentModel) -> None:
    (feature,) = model.features
    for spread in (feature.standard_deviation * 0.8, feature.standard_deviation / 0.8):
        own = replace(_swapped(model, 36), standard_deviation=spread)
        assert drift_from(model, replace(_as_then(model), features=[own])).features.loc["x", "reading"] == "moved"


def test_the_unassigned_of_then_are_a_share() -> None:
    values = np.concatenate([np.repeat(np.arange(20.0), 4), [90.0] * 20])
    table = pd.DataFrame({"who": range(100), "x": values})
    seg = gauger.segment_by_density(gauger.prepare(table, key="who", scale="none"), 1.5, min_points=4)
    model = gauger.build_model(seg)
    found = gauger.drift(model, table).segments
    assert found["share_then"].sum() == pytest.approx(1.0)


def test_bad_keys_are_refused(model: gauger.SegmentModel) -> None:
    with pytest.raises(gauger.errors.KeyColumnError, match="repeats"):
        gauger.drift(model, TABLE.assign(who=0))


def test_a_segment_of_some_has_their_own_middle(model: gauger.SegmentModel) -> None:
    """Customers of one segment alone must not be taken for everyone."""
    some = TABLE[(TABLE["x"] < 5.0) | (TABLE["x"] > 17.0)]
    found = gauger.drift(model, some).segments.drop("unassigned")
    shifts = sorted(found["centre_shift"])
    assert shifts == pytest.approx([2.5, 4.0])  # 4.5 to 2, and 14.5 to 18.5


def test_the_worst_decides_and_every_reason_is_told_the_strong_ones_first(model: gauger.SegmentModel) -> None:
    was = _as_then(model)
    own = replace(was.features[0], mean=9.5 + 0.3 * SD)
    found = drift_from(model, replace(was, features=[own], gated=0.07))
    assert found.advice.reasons == ("7% are beyond the gate of every segment.", "x has moved.")
    assert str(found.advice).startswith("Learn again. 7% are")
    assert found.headline() == "learn again: 400 customers against those learned from. " + " ".join(
        found.advice.reasons
    )


def test_a_feature_that_never_varied_has_changed_once_it_does() -> None:
    table = pd.DataFrame({"who": range(6), "x": [1.0, 2, 3, 7, 8, 9], "flat": 5.0})
    model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
    shifts = [gauger.drift(model, table.assign(flat=value)).features.loc["flat", "shift"] for value in (5.0, 6.0, 4.0)]
    assert shifts == [0.0, np.inf, -np.inf]
    assert gauger.drift(model, table.assign(flat=6.0)).features.loc["flat", "reading"] == "changed"


def test_segments_now_are_next_to_those_of_then(model: gauger.SegmentModel) -> None:
    was = _as_then(model)
    centre = model.centres[0]
    moved = replace(was.segments[0], share=0.25, middle=centre + 2.0, mean_distance=7.5)
    found = drift_from(model, replace(was, segments=[moved, was.segments[1]], unassigned=0.25)).segments
    assert found.index.tolist() == [1, 2, "unassigned"]
    assert found["share_then"].tolist() == [0.5, 0.5, 0.0]
    assert found["share_now"].tolist() == [0.25, 0.5, 0.25]
    assert found["centre_shift"].tolist()[:2] == pytest.approx([2.0, 0.0])
    assert found.loc[1, "distance_now"] == 7.5
    assert found.loc[1, "distance_then"] == pytest.approx(model.segments[0].mean_distance)


def test_a_segment_that_nobody_is_in_any_more_has_no_middle(model: gauger.SegmentModel) -> None:
    found = gauger.drift(model, TABLE[TABLE["x"] < 5.0]).segments
    empty = found.index[found["share_now"] == 0.0].drop("unassigned")[0]
    assert found.loc[empty, ["centre_shift", "distance_now"]].isna().all()
    other = found.drop(index=[empty, "unassigned"]).iloc[0]
    assert other["share_now"] == 1.0
    assert other["centre_shift"] == pytest.approx(2.5)  # learned at 4.5, now at 2


@pytest.mark.parametrize(("customers", "told"), [(327, True), (328, False)])
def test_of_few_customers_the_index_is_noise(customers: int, told: bool, model: gauger.SegmentModel) -> None:
    """Nine bins but one by chance: 9 / 327 + 9 / 400 is just above 0.05, with 328 it is 0.04994."""
    found = drift_from(model, replace(_as_then(model), customers=customers))
    assert [one.code for one in found.remarks] == (["few-for-drift"] if told else [])
    if told:
        assert "with 327 customers now and 400 then the index is about 0.05 by chance alone" in str(found.remarks[0])


def _half_missing(values: np.ndarray) -> pd.DataFrame:
    return pd.DataFrame({"who": range(len(values)), "x": np.where(np.arange(len(values)) % 2, values, np.nan)})


def test_half_of_a_feature_missing_is_a_change_and_the_advice_names_it(model: gauger.SegmentModel) -> None:
    found = gauger.drift(model, _half_missing(TABLE["x"].to_numpy()))
    assert found.features.loc["x", "reading"] == "changed"
    assert found.advice.action == "learn again"
    assert "x has no value for 50% of the customers (0% then)." in found.advice.reasons
    assert found.features.loc["x", "psi"] > 2.0


def test_values_that_come_back_are_a_change_too() -> None:
    then = _half_missing(TABLE["x"].to_numpy())
    features = gauger.prepare(then, key="who", scale="none", missing="median")
    model = gauger.build_model(gauger.segment_by_kmeans(features, 2))
    assert gauger.drift(model, then).advice.action == "keep"
    found = gauger.drift(model, TABLE)
    assert found.features.loc["x", "reading"] == "changed"
    assert "x has no value for 0% of the customers (50% then)." in found.advice.reasons


def test_two_heaps_with_the_mean_and_spread_of_one_peak_are_a_change() -> None:
    rng = np.random.default_rng(6)
    table = pd.DataFrame({"who": range(2_000), "x": rng.normal(50.0, 10.0, 2_000)})
    model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
    heaps = np.where(rng.permutation(2_000) % 2 == 0, 1.0, -1.0)
    found = gauger.drift(model, table.assign(x=table["x"].mean() + heaps * table["x"].std(ddof=0)))
    row = found.features.loc["x"]
    assert abs(row["shift"]) < 0.01
    assert (row["reading"], found.advice.action) == ("changed", "learn again")


def test_few_customers_who_have_not_changed_raise_hardly_an_alarm() -> None:
    """300 against 300 of the same customers, 60 times: 5 in 100 false at most, and three standard deviations more."""
    alarms = 0
    for seed in range(60):
        rng = np.random.default_rng(seed)
        then, now = (
            pd.DataFrame({"who": range(300), "days": np.ceil(rng.gamma(2.0, 20.0, 300)), "visits": rng.poisson(5, 300)})
            for _ in range(2)
        )
        model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(then, key="who"), 3, starts=1))
        alarms += gauger.drift(model, now).advice.action != "keep"
    assert alarms <= 8


def test_few_customers_who_did_change_are_still_seen(model: gauger.SegmentModel) -> None:
    assert gauger.drift(model, TABLE.assign(x=TABLE["x"] + 6.0).iloc[::4]).advice.action == "learn again"
