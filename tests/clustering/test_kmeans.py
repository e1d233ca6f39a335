"""k-means against brute force, hand-worked figures and invariants."""

import itertools
import os
import subprocess
import sys
from collections.abc import Callable

import numpy as np
import pandas as pd
import pytest
from gauger.clustering.sums import assign
from hypothesis import given, settings
from hypothesis import strategies as st

import gauger
from gauger.clustering.blocks import BLOCK_ROWS, map_blocks, thread_count
from gauger.clustering.kmeans import _refill
from gauger.clustering.seeding import seed_plusplus
from gauger.errors import SettingError

Make = Callable[..., gauger.FeatureSet]


def _best_wcss(values: np.ndarray, count: int) -> float:
    """The smallest within-cluster sum of squares over every way to split the rows."""
    best = np.inf
    for codes in itertools.product(range(count), repeat=len(values)):
        own = np.array(codes)
        if len(set(codes)) == count:
            parts = [values[own == j] for j in range(count)]
            best = min(best, sum(((part - part.mean(axis=0)) ** 2).sum() for part in parts))
    return best


def test_small_tables_come_to_the_best_split_there_is_or_close() -> None:
    ratios = []
    for seed in range(40):
        values = np.random.default_rng(seed).integers(-20, 20, size=(7, 2)).astype(float)
        table = pd.DataFrame(values, columns=["a", "b"]).assign(who=range(7))
        seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2 + seed % 2, starts=20)
        ratios.append(seg.wcss / _best_wcss(values, seg.count))
    assert min(ratios) >= 1.0 - 1e-12
    assert np.mean(np.array(ratios) < 1.0 + 1e-9) >= 0.9
    assert max(ratios) < 1.1


def test_every_customer_is_nearest_to_the_own_centre(demo_segments: gauger.Segmentation) -> None:
    values, centres = demo_segments.features.values, demo_segments.scaled_centres
    distances = np.sqrt(((values[:, None] - centres) ** 2).sum(axis=2))
    assert (distances.argmin(axis=1) + 1 == demo_segments.codes).all()
    np.testing.assert_allclose(distances.min(axis=1), demo_segments.distances, rtol=1e-9)
    means = [values[demo_segments.codes == number].mean(axis=0) for number in demo_segments.numbers]
    np.testing.assert_allclose(centres, means, rtol=1e-12)
    assert demo_segments.converged


def test_segments_are_numbered_from_the_largest(demo_segments: gauger.Segmentation) -> None:
    assert demo_segments.sizes.is_monotonic_decreasing
    assert demo_segments.codes.dtype == np.int32


@settings(max_examples=20)
@given(st.integers(0, 10_000))
def test_well_separated_groups_are_found_whatever_the_seed(seed: int) -> None:
    rng = np.random.default_rng(seed)
    truth = rng.permutation(np.repeat([0, 1, 2, 3], [50, 30, 20, 10]))
    values = np.array([[0, 0], [30, 0], [0, 30], [30, 30]])[truth] + rng.normal(size=(110, 2))
    table = pd.DataFrame(values, columns=["a", "b"]).assign(who=range(110))
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 4, seed=seed)
    assert (seg.codes == truth + 1).all()


def test_the_order_of_features_does_not_change_the_segments(demo_features: gauger.FeatureSet) -> None:
    table = demo_features.original.reset_index()
    turned = gauger.prepare(table, key="member_id", features=list(demo_features.names)[::-1], cap=(0.0, 0.99))
    one, other = (gauger.segment_by_kmeans(features, 6).codes for features in (demo_features, turned))
    assert (one == other).all()


def test_threads_do_not_change_a_bit(features_of: Make, monkeypatch: pytest.MonkeyPatch) -> None:
    values = np.random.default_rng(1).normal(size=(3 * BLOCK_ROWS + 77, 3))
    results = []
    for threads in ("1", "2", "3"):
        monkeypatch.setenv("GAUGER_THREADS", threads)
        results.append(gauger.segment_by_kmeans(features_of(values), 4, starts=2, max_rounds=15))
    for other in results[1:]:
        assert results[0].codes.tobytes() == other.codes.tobytes()
        assert results[0].scaled_centres.tobytes() == other.scaled_centres.tobytes()


def test_sums_over_blocks_are_the_sums_over_rows() -> None:
    rng = np.random.default_rng(2)
    values, centres = rng.normal(size=(2 * BLOCK_ROWS + 5, 2)), rng.normal(size=(3, 2))
    codes = np.full(len(values), -1, dtype=np.int32)
    sums = assign(np.ascontiguousarray(values.T), centres, codes)
    squares = ((values[:, None] - centres) ** 2).sum(axis=2)
    assert (codes == squares.argmin(axis=1)).all()
    assert sums.moved == len(values)
    assert sums.count.tolist() == np.bincount(codes).tolist()
    for j in range(3):
        np.testing.assert_allclose(sums.total[j], values[codes == j].sum(axis=0))
        assert sums.spread[j] == pytest.approx(squares[codes == j, j].sum())
    assert assign(np.ascontiguousarray(values.T), centres, codes).moved == 0


def test_the_kernels_run_without_being_compiled() -> None:
    table = pd.DataFrame({"who": range(60), "x": np.r_[np.arange(30.0), 500 + np.arange(30.0)]})
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    code = (
        "import numpy as np, pandas as pd, gauger\n"
        "table = pd.DataFrame({'who': range(60), 'x': np.r_[np.arange(30.0), 500 + np.arange(30.0)]})\n"
        "seg = gauger.segment_by_kmeans(gauger.prepare(table, key='who'), 2)\n"
        "print(seg.sizes.tolist(), round(gauger.silhouette(seg).mean, 6))"
    )
    plain = {**os.environ, "NUMBA_DISABLE_JIT": "1"}
    done = subprocess.run([sys.executable, "-c", code], env=plain, capture_output=True, text=True, check=True)
    assert done.stdout.strip() == f"{seg.sizes.tolist()} {round(gauger.silhouette(seg).mean, 6)}"


def test_running_out_of_rounds_is_said(demo_features: gauger.FeatureSet) -> None:
    seg = gauger.segment_by_kmeans(demo_features, 6, starts=1, max_rounds=2)
    assert seg.converged is False
    assert seg.rounds == 2
    (remark,) = [remark for remark in seg.remarks if remark.code == "not-converged"]
    assert remark.text.startswith("stopped after 2 rounds with ")


def test_a_tiny_segment_is_remarked_with_its_keys(features_of: Make) -> None:
    values = np.concatenate([np.random.default_rng(3).normal(size=(200, 2)), [[500.0, 500.0]]])
    seg = gauger.segment_by_kmeans(features_of(values), 2)
    (remark,) = seg.remarks
    assert remark.code == "tiny-segment"
    assert remark.segments == (2,)
    assert "segment 2 has 1 customer (c00200)" in remark.text


def test_an_emptied_segment_takes_the_farthest_customer() -> None:
    values = np.array([[0.0], [1.0], [2.0], [50.0]])
    centres = np.array([[1.0], [900.0]])
    codes = np.full(4, -1, dtype=np.int32)
    columns = np.ascontiguousarray(values.T)
    sums = _refill(columns, centres, codes, assign(columns, centres, codes))
    assert codes.tolist() == [0, 0, 0, 1]
    assert sums.means().tolist() == [[1.0], [50.0]]


def test_seeding_draws_distinct_rows_and_far_ones_first() -> None:
    columns = np.repeat(np.array([[0.0, 1.0, 100.0]]), 40, axis=1)
    for seed in range(20):
        seeds = seed_plusplus(columns, 3, np.random.default_rng(seed))
        assert sorted(seeds[:, 0]) == [0.0, 1.0, 100.0]
    pairs = [seed_plusplus(columns, 2, np.random.default_rng(seed)) for seed in range(200)]
    assert sum(abs(float(pair[0, 0] - pair[1, 0])) > 50 for pair in pairs) > 190


@pytest.mark.parametrize(
    ("values", "count"), [([[1.0]], 1), ([[1.0], [1.0]], 1), ([[1.0], [2.0]], 2), ([[1.0, 2.0], [3.0, 4.0]], 1)]
)
def test_the_smallest_tables_have_an_answer(features_of: Make, values: list[list[float]], count: int) -> None:
    seg = gauger.segment_by_kmeans(features_of(values), count)
    assert seg.sizes.sum() == len(values)
    assert seg.count == count


@pytest.mark.parametrize(
    ("count", "settings", "message"),
    [
        (0, {}, "count=0 must be a whole number from 1 up"),
        (2.0, {}, "count=2.0 must be a whole number"),
        (True, {}, "count=True must be a whole number"),
        (5, {}, "5 segments asked for, but there are only 4 customers"),
        (3, {}, "only 2 distinct combinations of feature values. Ask for at most 2"),
        (2, {"starts": 0}, "starts=0"),
        (2, {"max_rounds": 0}, "max_rounds=0"),
        (2, {"seed": -1}, "seed=-1"),
    ],
)
def test_impossible_settings_are_refused(features_of: Make, count: int, settings: dict, message: str) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.segment_by_kmeans(features_of([[1.0], [1.0], [2.0], [2.0]]), count, **settings)


def test_blocks_cover_every_row_once_in_order(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("GAUGER_THREADS", "4")
    slices = list(map_blocks(lambda rows: rows, 25, block_rows=10))
    assert [(rows.start, rows.stop) for rows in slices] == [(0, 10), (10, 20), (20, 25)]


def test_a_thread_count_that_is_none_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("GAUGER_THREADS", "many")
    with pytest.raises(SettingError, match="GAUGER_THREADS='many'"):
        thread_count()
