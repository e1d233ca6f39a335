"""Silhouettes against their definition, hand-worked figures, and the sample that replaces them on large tables."""

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

import gauger
from gauger.algorithms.diagnostics.silhouettes import silhouette_values
from gauger.errors import SettingError
from gauger.segmentation import segmentation_from_codes

Make = Callable[..., gauger.FeatureSet]


def _by_definition(values: np.ndarray, codes: np.ndarray) -> list[float]:
    result = []
    for i, own in enumerate(codes):
        distances = np.sqrt(((values - values[i]) ** 2).sum(axis=1))
        mates = (codes == own) & (np.arange(len(codes)) != i)
        if not mates.any() or len(set(codes)) < 2:
            result.append(0.0)
            continue
        a = distances[mates].mean()
        b = min(distances[codes == other].mean() for other in set(codes) - {own})
        result.append((b - a) / max(a, b) if max(a, b) > 0 else 0.0)
    return result


@given(
    st.integers(2, 30).flatmap(
        lambda n: st.tuples(
            arrays(np.float64, (n, 3), elements=st.integers(-9, 9)), arrays(np.int32, n, elements=st.integers(1, 4))
        )
    )
)
def test_any_table_agrees_with_the_definition(drawn: tuple[np.ndarray, np.ndarray]) -> None:
    values, codes = drawn
    np.testing.assert_allclose(
        silhouette_values(np.ascontiguousarray(values.T), codes), _by_definition(values, codes), atol=1e-12
    )


def test_four_customers_worked_by_hand(features_of: Make) -> None:
    features = features_of([[0.0], [2.0], [10.0], [14.0]])
    seg = segmentation_from_codes(features, np.array([1, 1, 2, 2]), method="hand")
    result = gauger.silhouette(seg)
    np.testing.assert_allclose(result.values, [10 / 12, 8 / 10, 5 / 9, 9 / 13])
    assert result.mean == pytest.approx((10 / 12 + 8 / 10 + 5 / 9 + 9 / 13) / 4)
    np.testing.assert_allclose(result.by_segment, [(10 / 12 + 8 / 10) / 2, (5 / 9 + 9 / 13) / 2])
    assert result.measured == 4
    assert result.remarks == ()


def test_segments_larger_than_a_tile_agree_with_the_definition() -> None:
    rng = np.random.default_rng(4)
    values, codes = rng.normal(size=(700, 5)), rng.integers(1, 4, 700).astype(np.int32)
    np.testing.assert_allclose(
        silhouette_values(np.ascontiguousarray(values.T), codes), _by_definition(values, codes), rtol=1e-9
    )


def test_the_unassigned_have_no_silhouette_and_disturb_none(features_of: Make) -> None:
    features = features_of([[0.0], [2.0], [10.0], [14.0], [5.0]])
    seg = segmentation_from_codes(features, np.array([1, 1, 2, 2, 0]), method="hand")
    np.testing.assert_allclose(gauger.silhouette(seg).values, [10 / 12, 8 / 10, 5 / 9, 9 / 13, np.nan])


@pytest.mark.slow
def test_beyond_the_limit_a_seeded_sample_is_measured_and_said(features_of: Make) -> None:
    rng = np.random.default_rng(5)
    values = np.concatenate([rng.normal(size=(9000, 2)), rng.normal(8.0, 1.0, size=(6000, 2))])
    seg = gauger.segment_by_kmeans(features_of(values), 2, starts=1)
    exact, sampled = gauger.silhouette(seg), gauger.silhouette(seg, exact_up_to=12_000)
    assert sampled.measured == np.isfinite(sampled.values).sum() == 10_000
    assert exact.error == 0.0
    assert 0.0 < sampled.error < 0.003
    assert abs(sampled.mean - exact.mean) < 4.0 * sampled.error
    assert [remark.code for remark in sampled.remarks] == ["silhouette-sampled"]
    assert gauger.silhouette(seg, exact_up_to=12_000).mean == sampled.mean


def test_a_small_segment_is_sampled_by_fifty_at_least(features_of: Make) -> None:
    rng = np.random.default_rng(6)
    values = np.concatenate([rng.normal(size=(20_500, 1)), rng.normal(50.0, 1.0, size=(60, 1))])
    seg = gauger.segment_by_kmeans(features_of(values), 2, starts=1)
    sampled = gauger.silhouette(seg)
    assert np.isfinite(sampled.values[seg.codes == 2]).sum() == 50
    weighted = (sampled.by_segment * seg.sizes).sum() / seg.sizes.sum()
    assert sampled.mean == pytest.approx(weighted)


def test_the_share_below_zero_is_by_segment(features_of: Make) -> None:
    seg = segmentation_from_codes(
        features_of([[0.0], [1.0], [9.0], [10.0], [9.5]]), np.array([1, 1, 1, 2, 2]), method="hand"
    )
    found = gauger.silhouette(seg)
    assert found.below_zero.tolist() == [pytest.approx((found.values[:3] < 0).mean()), 0.0]
    assert found.values[2] < 0.0


def test_one_segment_has_no_silhouette(features_of: Make) -> None:
    with pytest.raises(SettingError, match="at least two"):
        gauger.silhouette(gauger.segment_by_kmeans(features_of([[1.0], [2.0]]), 1))


def test_one_segment_of_all_is_worth_nothing() -> None:
    assert silhouette_values(np.array([[1.0, 5.0, 9.0]]), np.array([2, 2, 2])).tolist() == [0.0, 0.0, 0.0]
