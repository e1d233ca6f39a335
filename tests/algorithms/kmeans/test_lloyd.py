"""Iterations of k-means: sums against plain ones, pruning to the bit, emptied segments."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gauger.algorithms.kmeans import lloyd
from gauger.algorithms.kmeans.iterating import SegmentSums
from gauger.algorithms.kmeans.kernels import iterate_block, refill
from gauger.algorithms.kmeans.lloyd import assign, run_lloyd, sums_of, total_squares
from gauger.algorithms.parallel import BLOCK_ROWS


def _columns(seed: int, n: int, d: int, groups: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return np.ascontiguousarray(
        (rng.normal(size=(groups, d))[rng.integers(groups, size=n)] * 2 + rng.normal(size=(n, d))).T
    )


def test_a_round_assigns_to_the_nearest_and_adds_up_who_moved() -> None:
    rng = np.random.default_rng(2)
    values, centres = rng.normal(size=(2 * BLOCK_ROWS + 5, 2)), rng.normal(size=(3, 2))
    weights = rng.uniform(size=len(values))
    columns, codes = np.ascontiguousarray(values.T), np.full(len(values), -1, dtype=np.int32)
    sums = assign(columns, weights, centres, codes)
    squares = ((values[:, None] - centres) ** 2).sum(axis=2)
    assert (codes == squares.argmin(axis=1)).all()
    assert sums.moved == len(values)
    for j in range(3):
        assert sums.weight[j] == pytest.approx(weights[codes == j].sum())
        np.testing.assert_allclose(sums.total[j], (weights[:, None] * values)[codes == j].sum(axis=0))
    changed = assign(columns, weights, centres + 0.3, codes)
    again = sums_of(columns, weights, codes, 3)
    np.testing.assert_allclose(sums.total + changed.total, again.total, atol=1e-9)
    assert 0 < changed.moved < len(values)


@pytest.fixture
def looks(monkeypatch: pytest.MonkeyPatch) -> list[float]:
    """Prune small tables too; the value collects which share of the points each pruned iteration had to look at."""
    shares: list[float] = []
    plain = lloyd._look

    def counted(columns: Any, weights: Any, centres: Any, bounds: Any, codes: Any) -> SegmentSums:
        shares.append(float(np.mean(bounds.slack <= bounds.reach[codes])))
        return plain(columns, weights, centres, bounds, codes)

    monkeypatch.setattr(lloyd, "_PRUNED_FROM", 1)
    monkeypatch.setattr(lloyd, "_look", counted)
    return shares


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("weighted", [False, True])
def test_pruned_rounds_give_the_same_bits_as_plain_ones(seed: int, weighted: bool, looks: list[float]) -> None:
    columns = _columns(seed, 4_000, 3, 5)
    weights = np.random.default_rng(seed).uniform(0.1, 3.0, size=4_000) if weighted else np.ones(4_000)
    centres = np.ascontiguousarray(columns[:, :7].T)
    plain = run_lloyd(columns, weights, centres, 200, prune_below=0.0)
    for below in (0.05, 2.0):
        pruned = run_lloyd(columns, weights, centres, 200, prune_below=below)
        assert pruned.codes.tobytes() == plain.codes.tobytes()
        assert pruned.centres.tobytes() == plain.centres.tobytes()
        assert pruned.history == plain.history
        assert looks[0] == 1.0  # nothing is known at first
        assert min(looks) < 0.3
        looks.clear()


def test_pruning_spares_nobody_whom_a_centre_has_come_near(looks: list[float]) -> None:
    """Far centres travel a long way towards points that stay where they are, iteration by iteration."""
    rng = np.random.default_rng(7)
    columns = np.ascontiguousarray(np.concatenate([rng.normal(size=300), rng.normal(6.0, 4.0, 300)])[None, :])
    centres = np.array([[-1.0], [0.0], [1.0], [2.0], [40.0]])
    plain, pruned = (run_lloyd(columns, np.ones(600), centres, 300, prune_below=p) for p in (0.0, 2.0))
    assert pruned.codes.tolist() == plain.codes.tolist()
    assert len(looks) > 5
    squares = (columns.T - pruned.centres.T) ** 2
    assert (squares.argmin(axis=1) == pruned.codes).all()


@pytest.mark.parametrize(
    ("rows", "share", "pruned"), [(20_000, 0.05, True), (19_999, 0.05, False), (20_000, 0.0, False)]
)
def test_tables_are_pruned_from_20_000_rows_once_few_move(
    rows: int, share: float, pruned: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    looked = []
    plain = lloyd._look
    monkeypatch.setattr(lloyd, "_look", lambda *given: looked.append(1) or plain(*given))
    columns = _columns(8, rows, 2, 3)
    run_lloyd(columns, np.ones(rows), np.ascontiguousarray(columns[:, :3].T), 40, prune_below=share)
    assert bool(looked) == pruned


def test_bounds_count_the_own_way_and_that_of_the_fastest_other_centre() -> None:
    bounds = lloyd._Bounds(np.zeros(4), np.zeros(3))
    bounds.went(np.array([1.0, 5.0, 2.0]))
    assert bounds.reach.tolist() == [6.0, 7.0, 7.0]
    bounds.went(np.array([0.5, 0.0, 0.0]))
    assert bounds.reach.tolist() == [6.5, 7.5, 7.5]


def test_bounds_begin_with_a_margin_of_the_farthest_corner() -> None:
    bounds = lloyd._Bounds.at_first(np.array([[-3.0, 1.0], [2.0, 4.0]]), 2)
    assert bounds.reach.tolist() == pytest.approx([5e-10, 5e-10])  # the corner is at (3, 4)
    assert np.isneginf(bounds.slack).all()
    assert bounds.slack.shape == (2,)


@pytest.mark.usefixtures("looks")
@given(st.integers(0, 10_000), st.integers(1, 4), st.integers(1, 6))
def test_pruning_holds_on_whole_numbers_full_of_ties(seed: int, d: int, count: int) -> None:
    rng = np.random.default_rng(seed)
    columns = np.ascontiguousarray(rng.integers(0, 4, size=(d, 90)).astype(float))
    distinct = np.unique(columns.T, axis=0)
    centres = np.ascontiguousarray(rng.permutation(distinct)[:count])
    plain, pruned = (run_lloyd(columns, np.ones(90), centres, 50, prune_below=p) for p in (0.0, 2.0))
    assert plain.codes.tolist() == pruned.codes.tolist()


def test_where_rounds_end_nobody_is_nearer_to_another_centre_and_centres_are_means() -> None:
    columns = _columns(3, 5_000, 4, 6)
    settled = run_lloyd(columns, np.ones(5_000), np.ascontiguousarray(columns[:, :6].T), 300)
    squares = ((columns.T[:, None] - settled.centres) ** 2).sum(axis=2)
    assert settled.moved == 0
    assert (squares.argmin(axis=1) == settled.codes).all()
    assert settled.wcss == pytest.approx(squares.min(axis=1).sum())
    for j in range(6):
        np.testing.assert_allclose(settled.centres[j], columns[:, settled.codes == j].mean(axis=1))


def test_the_course_tells_each_rounds_sum_of_squares() -> None:
    columns = _columns(4, 600, 2, 3)
    centres = np.ascontiguousarray(columns[:, :3].T)
    settled = run_lloyd(columns, np.ones(600), centres, 100)
    own = centres
    for wcss, moved, shift in settled.history:
        codes = ((columns.T[:, None] - own) ** 2).sum(axis=2).argmin(axis=1)
        after = np.array([columns[:, codes == j].mean(axis=1) for j in range(3)])
        assert wcss == pytest.approx(((columns.T - after[codes]) ** 2).sum())
        assert shift == pytest.approx(np.sqrt(((after - own) ** 2).sum(axis=1)).max(), abs=1e-9)
        assert moved <= 600
        own = after
    assert [row[0] for row in settled.history] == sorted((row[0] for row in settled.history), reverse=True)
    assert settled.history[-1][1:] == (0, 0.0)


def test_the_one_block_kernel_and_the_rounds_come_to_the_same() -> None:
    columns = _columns(5, 3_000, 3, 4)
    centres, codes = np.ascontiguousarray(columns[:, :4].T), np.full(3_000, -1, dtype=np.int32)
    settled = run_lloyd(columns, np.ones(3_000), centres.copy(), 300)
    _, moved = iterate_block(columns, np.ones(3_000), centres, codes, 300)
    assert moved == 0
    assert codes.tolist() == settled.codes.tolist()


def test_an_emptied_segment_takes_the_farthest_customer_the_first_of_equals() -> None:
    columns = np.array([[0.0, 1.0, 2.0, 50.0, -48.0]])
    centres, codes = np.array([[1.0], [900.0]]), np.full(5, -1, dtype=np.int32)
    weights = np.ones(5)
    sums = assign(columns, weights, centres, codes)
    assert refill(columns, weights, centres, codes, sums.weight, sums.total) == 1
    assert codes.tolist() == [0, 0, 0, 1, 0]
    assert sums.means().tolist() == [[-45.0 / 4], [50.0]]


def test_a_segment_of_one_point_is_never_robbed_however_far_it_is() -> None:
    columns, weights = np.array([[0.0, 1.0, 2.0, 90.0]]), np.array([1.0, 1.0, 1.0, 2.5])
    centres, codes = np.array([[0.5], [40.0], [900.0]]), np.array([0, 0, 0, 1], dtype=np.int32)
    counts, sums = np.array([3.0, 2.5, 0.0]), np.array([[3.0], [225.0], [0.0]])
    assert refill(columns, weights, centres, codes, counts, sums) == 1
    assert codes.tolist() == [0, 0, 2, 1]
    assert counts.tolist() == [2.0, 2.5, 1.0]
    assert sums.tolist() == [[1.0], [225.0], [2.0]]


def test_of_several_empty_segments_each_takes_the_farthest_that_is_left() -> None:
    columns, weights = np.array([[0.0, 1.0, 7.0, 9.0]]), np.ones(4)
    codes, counts, sums = np.zeros(4, dtype=np.int32), np.array([4.0, 0.0, 0.0]), np.array([[17.0], [0.0], [0.0]])
    assert refill(columns, weights, np.array([[2.0], [50.0], [60.0]]), codes, counts, sums) == 2
    assert codes.tolist() == [0, 0, 2, 1]


def test_an_iteration_too_few_leaves_no_segment_empty() -> None:
    """Two refilled segments stand on the same spot: by distance alone the second would lose its only customer."""
    columns = np.array([[6.0, 3.0, 3.0, 0.0, 0.0, 0.0, 2.0]])
    settled = run_lloyd(columns, np.ones(7), np.array([[11.0], [10.0], [6.0]]), 1)
    assert settled.moved > 0
    assert settled.centres.tolist() == [[0.0], [0.0], [2.8]]
    assert sorted(np.bincount(settled.codes, minlength=3)) == [1, 1, 5]


def test_rounds_from_far_centres_never_leave_a_segment_empty() -> None:
    columns = np.array([[0.0, 0.0, 1.0, 2.0, 3.0, 9.0]])
    settled = run_lloyd(columns, np.ones(6), np.array([[0.5], [700.0], [800.0]]), 50)
    assert sorted(np.bincount(settled.codes)) == [1, 2, 3]


def test_rounds_that_run_out_still_leave_everyone_with_the_nearest_centre() -> None:
    columns = _columns(6, 2_000, 3, 5)
    settled = run_lloyd(columns, np.ones(2_000), np.ascontiguousarray(columns[:, :5].T), 3)
    assert settled.moved > 0
    squares = ((columns.T[:, None] - settled.centres) ** 2).sum(axis=2)
    assert (squares.argmin(axis=1) == settled.codes).all()


def test_the_total_spread_is_about_the_weighted_mean() -> None:
    columns, weights = np.array([[0.0, 4.0, 8.0]]), np.array([1.0, 2.0, 1.0])
    middle, spread = total_squares(columns, weights)
    assert middle.tolist() == [4.0]
    assert spread == 32.0


def test_those_who_leave_the_first_segment_are_taken_off_it() -> None:
    codes = np.zeros(4, dtype=np.int32)
    moving = assign(np.array([[0.0, 1.0, 8.0, 9.0]]), np.array([1.0, 1.0, 2.0, 3.0]), np.array([[0.0], [9.0]]), codes)
    assert codes.tolist() == [0, 0, 1, 1]
    assert (moving.weight.tolist(), moving.total.tolist(), moving.moved) == ([-5.0, 5.0], [[-43.0], [43.0]], 2)
