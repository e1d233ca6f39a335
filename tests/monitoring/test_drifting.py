"""Drift, migration and alignment, against figures worked by hand."""

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError


@pytest.fixture(scope="module")
def model(demo_segments: gauger.Segmentation) -> gauger.SegmentModel:
    return gauger.build_model(demo_segments)


def test_the_same_customers_have_not_drifted(model: gauger.SegmentModel, behaviour: pd.DataFrame) -> None:
    found = gauger.drift(model, behaviour)
    assert found.advice.action == "keep"
    np.testing.assert_allclose(found.features[["shift", "psi"]], 0.0, atol=1e-12)
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
    assert found.features.loc["x", "psi"] == pytest.approx(((shares - 0.1) * np.log(shares / 0.1)).sum())
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
    assert found.advice.action == "learn again"
    assert found.features.loc["x", "psi"] > 2.0
    same = pd.DataFrame({"who": range(5_000), "x": np.where(rng.random(5_000) < 0.9, 0.0, rng.permutation(rest))})
    assert gauger.drift(model, same).advice.action == "keep"


def test_a_heap_that_grows_in_the_middle_is_seen_too() -> None:
    rng = np.random.default_rng(4)
    model, _ = _one_feature(np.where(rng.random(4_000) < 0.2, 50.0, rng.normal(50.0, 10.0, 4_000)))
    now = pd.DataFrame(
        {"who": range(4_000), "x": np.where(rng.random(4_000) < 0.6, 50.0, rng.normal(50.0, 10.0, 4_000))}
    )
    assert gauger.drift(model, now).features.loc["x", "psi"] > 0.25


def test_an_index_without_a_shift_is_no_reason_to_learn_again_and_a_shift_without_an_index_is_told() -> None:
    rng = np.random.default_rng(5)
    # Recency in days of a weekly habit: a day more moves every heap, and nobody.
    then = rng.geometric(0.2, 6_000) * 7.0
    model, table = _one_feature(then)
    day_later = gauger.drift(model, table.assign(x=then - 1.0))
    assert day_later.features.loc["x", "psi"] > 0.25
    assert abs(day_later.features.loc["x", "shift"]) < 0.1
    assert day_later.advice.action == "watch"
    far = gauger.drift(model, table.assign(x=np.where(then > np.quantile(then, 0.95), then * 8.0, then)))
    assert far.features.loc["x", "psi"] < 0.1
    assert (far.features.loc["x", "reading"], far.advice.action) == ("changed", "learn again")


def test_customers_of_another_kind_call_for_learning_again(model: gauger.SegmentModel, behaviour: pd.DataFrame) -> None:
    other = behaviour.assign(visits=behaviour["visits"] * 3 + 10, spend_mean=behaviour["spend_mean"] * 2)
    found = gauger.drift(model, other)
    assert found.advice.action == "learn again"
    assert "visits and spend_mean have changed" in found.advice.reasons[0]
    assert found.gated > 0.05
    little = gauger.drift(model, behaviour.assign(spend_mean=behaviour["spend_mean"] * 1.04))
    assert little.advice.action in ("keep", "watch")


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
    assert found.advice.reasons[0] == "visits has no values any more."
    assert found.advice.action == "learn again"


def _assigned(codes: dict[str, int]) -> pd.DataFrame:
    return pd.DataFrame({"who": list(codes), "segment": list(codes.values())})
