"""k-means against brute force, hand-worked figures and invariants."""

import itertools
import os
import re
import subprocess
import sys
from collections.abc import Callable

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.algorithms.parallel import BLOCK_ROWS, map_blocks
from gauger.errors import SettingError
from tests.examples import examples

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


@pytest.mark.slow
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


def test_segments_are_numbered_from_the_largest(features_of: Make) -> None:
    seg = gauger.segment_by_kmeans(features_of([[0.0], [50.0], [51.0], [90.0], [91.0], [92.0], [1.0], [2.0], [3.0]]), 3)
    assert seg.codes.tolist() == [1, 3, 3, 2, 2, 2, 1, 1, 1]
    assert seg.codes.dtype == np.int32


@examples(20)
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


@pytest.mark.slow
@given(st.integers(0, 10_000), st.integers(2, 5), st.booleans())
def test_the_order_of_rows_and_features_changes_no_segment(seed: int, count: int, whole: bool) -> None:
    rng = np.random.default_rng(seed)
    values = rng.integers(0, 6, size=(80, 3)).astype(float) if whole else rng.normal(size=(80, 3))
    table = pd.DataFrame(values, columns=["a", "b", "c"]).assign(who=range(80))
    mixed = rng.permutation(80)
    one = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), count)
    turned = gauger.prepare(table.iloc[mixed], key="who", features=["c", "a", "b"])
    for other in (
        gauger.segment_by_kmeans(turned, count),
        gauger.segment_by_kmeans(turned, count, seeding=one),
    ):
        assert (one.codes[mixed] == other.codes).all()
    sampled = [gauger.segment_by_kmeans(features, count, learn_on=0.6) for features in (one.features, turned)]
    assert (sampled[0].codes[mixed] == sampled[1].codes).all()


@pytest.mark.slow
@pytest.mark.parametrize("seeding", ["kmeans++", "random"])
def test_the_order_of_many_rows_changes_no_segment(features_of: Make, seeding: str) -> None:
    rng = np.random.default_rng(11)
    values = rng.integers(0, 40, size=(2 * BLOCK_ROWS + 9, 2)).astype(float)
    mixed = rng.permutation(len(values))
    one, other = (
        gauger.segment_by_kmeans(features_of(rows, scale="zscore"), 4, seeding=seeding, starts=2)
        for rows in (values, values[mixed])
    )
    assert (one.codes[mixed] == other.codes).all()


def test_the_size_of_blocks_changes_no_segment(features_of: Make, monkeypatch: pytest.MonkeyPatch) -> None:
    features = features_of(np.random.default_rng(12).normal(size=(9_000, 3)))
    one = gauger.segment_by_kmeans(features, 5)
    monkeypatch.setattr(map_blocks, "__defaults__", (1_000,))
    assert (gauger.segment_by_kmeans(features, 5).codes == one.codes).all()


@pytest.mark.slow
def test_threads_do_not_change_a_bit(features_of: Make, monkeypatch: pytest.MonkeyPatch) -> None:
    values = np.random.default_rng(1).normal(size=(3 * BLOCK_ROWS + 77, 3))
    results = []
    for threads in ("1", "2", "3"):
        monkeypatch.setenv("GAUGER_THREADS", threads)
        results.append(gauger.segment_by_kmeans(features_of(values), 4, starts=2, max_iterations=15))
    for other in results[1:]:
        assert results[0].codes.tobytes() == other.codes.tobytes()
        assert results[0].scaled_centres.tobytes() == other.scaled_centres.tobytes()


@pytest.mark.slow
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


RUSPINI = (
    "4,53 5,63 10,59 9,77 13,49 13,69 12,88 15,75 18,61 19,65 22,74 27,72 28,76 24,58 27,55 28,60 30,52 31,60 32,61 "
    "36,72 28,147 32,149 35,153 33,154 38,151 41,150 38,145 38,143 32,143 34,141 44,156 44,149 44,143 46,142 47,149 "
    "49,152 50,142 53,144 52,152 55,155 54,124 60,136 63,139 86,132 85,115 85,96 78,94 74,96 97,122 98,116 98,124 "
    "99,119 99,128 101,115 108,111 110,111 108,116 111,126 115,117 117,115 70,4 77,12 83,21 61,15 69,15 78,16 66,18 "
    "58,13 64,20 69,21 66,23 61,25 76,27 72,31 64,30"
)


@pytest.mark.parametrize(
    ("count", "published"),
    [(2, 8.93378e4), (3, 5.10634e4), (4, 1.28810e4), (5, 1.01267e4), (6, 8.57541e3), (7, 7.12620e3), (8, 6.14964e3)],
)
def test_the_published_optimum_is_reached(features_of: Make, count: int, published: float) -> None:
    """75 points of Ruspini (1970), Information Sciences 2, 319-350; the proven optima of du Merle, Hansen, Jaumard &
    Mladenović (1999), SIAM Journal on Scientific Computing 21(4), 1485-1505."""
    points = [[float(part) for part in pair.split(",")] for pair in RUSPINI.split()]
    assert gauger.segment_by_kmeans(features_of(points), count, starts=60).wcss == pytest.approx(published, rel=1e-5)


def test_the_course_and_the_starts_tell_how_it_went(demo_features: gauger.FeatureSet) -> None:
    seg = gauger.segment_by_kmeans(demo_features, 6)
    assert list(seg.history.columns) == ["wcss", "moved", "shift"]
    assert len(seg.history) == seg.iterations
    assert seg.history["moved"].iloc[0] == len(seg.codes)
    assert seg.history["wcss"].iloc[-1] == pytest.approx(seg.wcss)
    assert seg.starts["chosen"].sum() == 1
    assert seg.starts.loc[seg.starts["chosen"], "wcss"].item() == pytest.approx(seg.wcss)
    assert seg.starts["wcss"].notna().sum() == 3
    total = ((demo_features.values - demo_features.values.mean(axis=0)) ** 2).sum()
    assert seg.explained == pytest.approx(1.0 - seg.wcss / total)


def test_far_customers_are_remarked_with_the_condition_that_lists_them(features_of: Make) -> None:
    rng = np.random.default_rng(5)
    values = np.concatenate([rng.normal(size=(300, 2)), rng.normal(size=(300, 2)) + 8.0, [[30.0, -20.0]]])
    seg = gauger.segment_by_kmeans(features_of(values), 2)
    (remark,) = seg.remarks
    assert remark.code == "far-customers"
    assert remark.text.startswith("1 customer lies far from every centre")
    assert "c00600" not in remark.text
    home = int(seg.codes[600])
    assert remark.segments == (home,)
    limit = re.search(rf"--members {home} --where 'distance > ([\d.]+)'", remark.text)[1]
    assert gauger.members(seg, segment=home, where=f"distance > {limit}")["who"].tolist() == ["c00600"]
    assert not (seg.distances > float(limit))[:600].any()


def test_running_out_of_rounds_is_said(demo_features: gauger.FeatureSet) -> None:
    seg = gauger.segment_by_kmeans(demo_features, 6, starts=1, max_iterations=2)
    assert seg.converged is False
    assert seg.iterations == 2
    (remark,) = [remark for remark in seg.remarks if remark.code == "not-converged"]
    assert remark.text.startswith("stopped after 2 iterations with ")


def test_a_tiny_segment_is_remarked_with_the_command_that_lists_it(features_of: Make) -> None:
    values = np.concatenate([np.random.default_rng(3).normal(size=(200, 2)), [[500.0, 500.0]]])
    seg = gauger.segment_by_kmeans(features_of(values), 2)
    (remark,) = seg.remarks
    assert remark.code == "tiny-segment"
    assert remark.segments == (2,)
    assert remark.text.startswith("segment 2 has 1 customer: at most 1% of all.")
    assert "gauger profile STUDY --members 2" in remark.text


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
        (2, {"max_iterations": 0}, "max_iterations=0"),
        (2, {"seed": -1}, "seed=-1"),
    ],
)
def test_impossible_settings_are_refused(features_of: Make, count: int, settings: dict, message: str) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.segment_by_kmeans(features_of([[1.0], [1.0], [2.0], [2.0]]), count, **settings)
