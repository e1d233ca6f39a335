"""Iterations of k-means: sums against plain ones, pruning to the bit, emptied segments."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

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


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("weighted", [False, True])
def test_pruned_rounds_give_the_same_bits_as_plain_ones(seed: int, weighted: bool) -> None:
    columns = _columns(seed, 4_000, 3, 5)
    weights = np.random.default_rng(seed).uniform(0.1, 3.0, size=4_000) if weighted else np.ones(4_000)
    centres = np.ascontiguousarray(columns[:, :7].T)
    plain = run_lloyd(columns, weights, centres, 200, prune_below=0.0)
    for below in (0.05, 2.0):
        pruned = run_lloyd(columns, weights, centres, 200, prune_below=below)
        assert pruned.codes.tobytes() == plain.codes.tobytes()
        assert pruned.centres.tobytes() == plain.centres.tobytes()
        assert pruned.history == plain.history


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
