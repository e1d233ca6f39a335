"""The evidence on groups: planted groups of many shapes, clouds of many shapes, and what hides groups."""

from collections.abc import Callable

import numpy as np
import pytest

from gauger.algorithms.diagnostics.isolates import isolated
from gauger.choosing import evidence, filters
from gauger.choosing.evidence import Evidence, _better, look_for_groups, steps_of_evidence
from gauger.choosing.filters import filters_of
from gauger.choosing.group_table import GroupTable
from gauger.choosing.signs import Partition, Signs
from gauger.choosing.weighing import Weighed
from tests.choosing.test_weighing import sign
from tests.examples import thoroughly

CORNERS = np.array([[0.0, 0.0], [8.0, 0.0], [0.0, 8.0]])


def _groups(rng: np.random.Generator, sizes: tuple[int, ...] = (150, 150, 150)) -> np.ndarray:
    return np.repeat(CORNERS, sizes, axis=0) + rng.normal(size=(sum(sizes), 2))


def _look(values: np.ndarray, categories: tuple[tuple[int, ...], ...] = ()) -> Evidence:
    return look_for_groups(GroupTable(values, np.arange(len(values)), categories))


def _levels(codes: np.ndarray) -> np.ndarray:
    """A category's indicators (n, levels)."""
    return np.equal.outer(codes, np.unique(codes)).astype(float)


@pytest.mark.slow
@pytest.mark.parametrize(
    "change",
    [
        lambda values, _: values,
        lambda values, rng: np.column_stack([values, rng.normal(size=(len(values), 3)) * 3.0]),
        lambda values, rng: np.concatenate([values, rng.standard_t(1.5, size=(6, 2)) * 60.0]),
        lambda values, _: values * [1.0, 1000.0],
        lambda values, _: np.round(values),
    ],
    ids=["plain", "with noise features", "with far customers", "in other units", "in whole numbers"],
)
def test_planted_groups_are_found(change: Callable[..., np.ndarray]) -> None:
    rng = np.random.default_rng(1)
    found = _look(change(_groups(rng), rng))
    assert found.count == found.between_valleys == 3
    assert max(found.excess.values()) > 5.0


def test_a_group_of_three_in_a_hundred_is_found() -> None:
    assert _look(_groups(np.random.default_rng(2), (450, 450, 30))).count == 3


@pytest.mark.slow
@pytest.mark.parametrize("seed", thoroughly(range(4)))
@pytest.mark.parametrize(
    "cloud",
    [
        lambda rng: rng.normal(size=(400, 4)),
        lambda rng: rng.normal(size=(400, 3)) @ np.array([[1.0, 0.9, 0.0], [0.0, 0.4, 0.0], [0.0, 0.0, 1.0]]),
        lambda rng: rng.uniform(size=(400, 2)),
        lambda rng: rng.standard_t(4, size=(400, 3)),
        lambda rng: np.exp(0.6 * rng.normal(size=(400, 3))),
        lambda rng: rng.poisson(4.0, size=(400, 2)).astype(float),
    ],
    ids=["normal", "correlated", "even", "heavy tails", "skewed", "counts"],
)
def test_one_cloud_is_called_one(cloud: Callable[..., np.ndarray], seed: int) -> None:
    assert _look(cloud(np.random.default_rng(seed))).count == 1


@pytest.mark.slow
def test_features_that_play_no_part_are_named() -> None:
    rng = np.random.default_rng(3)
    values = np.column_stack(
        [rng.normal(size=(240, 4)) * 9.0, np.repeat(CORNERS, 80, axis=0) / 2 + rng.normal(size=(240, 2))]
    )
    found = _look(values)
    assert found.count == 3
    assert set(found.idle) <= {0, 1, 2, 3}


def test_isolated_customers_are_set_aside_and_others_are_not() -> None:
    rng = np.random.default_rng(4)
    values = np.concatenate([rng.normal(size=(300, 2)), [[40.0, 0.0], [0.0, -50.0]]])
    assert np.flatnonzero(isolated(values)).tolist() == [300, 301]
    assert not isolated(np.zeros((40, 2))).any()
    assert not isolated(np.array([[0.0], [99.0]])).any()


@pytest.mark.parametrize("values", [np.zeros((30, 2)), np.array([[0.0], [1.0], [0.0], [1.0]]), np.array([[1.0]])])
def test_tables_of_hardly_any_difference_have_an_answer(values: np.ndarray) -> None:
    assert _look(values).count in (1, 2)


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(2))
def test_independent_flags_are_no_groups_and_flags_that_agree_in_several_are(seed: int) -> None:
    rng = np.random.default_rng(seed)
    assert _look((rng.random((700, 6)) < 0.4).astype(float)).count == 1
    groups = np.repeat(np.arange(3), 250)
    own = np.repeat(np.arange(3), 3) == groups[:, None]
    assert _look((rng.random(own.shape) < np.where(own, 0.92, 0.08)).astype(float)).count == 3


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(2))
def test_two_flags_that_agree_are_a_filter_and_no_group(seed: int) -> None:
    rng = np.random.default_rng(seed)
    first = rng.random(900) < 0.4
    second = np.where(rng.random(900) < 0.75, first, rng.random(900) < 0.4)
    assert _look(np.column_stack([rng.normal(size=(900, 3)), first, second])).count == 1


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(2))
def test_a_category_neither_makes_groups_nor_hides_them(seed: int) -> None:
    rng = np.random.default_rng(seed)
    levels = _levels(rng.integers(0, 4, 600))
    places = (tuple(range(2, 6)),)
    assert _look(np.column_stack([rng.normal(size=(600, 2)), levels]), places).count == 1
    assert _look(np.column_stack([_groups(rng, (200, 200, 200)), levels]), places).count == 3


def test_zeros_of_half_of_the_customers_are_no_group() -> None:
    rng = np.random.default_rng(6)
    share = np.where(rng.random(800) < 0.5, 0.0, rng.beta(2.0, 3.0, 800))
    assert _look(np.column_stack([rng.normal(size=(800, 3)), share])).count == 1


def test_customers_entered_many_times_are_one_each_and_idle_ones_stay() -> None:
    rng = np.random.default_rng(7)
    times = rng.integers(1, 21, size=150)
    assert _look(np.repeat(rng.normal(size=(150, 3)), times, axis=0)).count == 1
    assert _look(np.repeat(_groups(rng, (50, 50, 50)), times, axis=0)).count == 3
    bought = np.exp(rng.normal(3.0, 0.3, size=(200, 2))) * (rng.random((200, 2)) < 0.9)
    table = GroupTable(np.concatenate([np.zeros((200, 2)), np.repeat(bought, 5, axis=0)]), np.arange(1_200))
    thinned = table.thinned(rng)
    assert (thinned.values == 0.0).all(axis=1).sum() >= 200
    assert len(thinned.rows) < 600


@pytest.mark.slow
def test_more_groups_than_are_looked_for_at_first_are_found() -> None:
    rng = np.random.default_rng(8)
    centres = np.array([[x, y] for x in range(4) for y in range(4)]) * 9.0
    values = centres[rng.integers(0, 14, 1_400)] + rng.normal(size=(1_400, 2))
    assert _look(values).count == 14


def test_the_order_of_columns_and_customers_and_the_units_change_nothing() -> None:
    rng = np.random.default_rng(9)
    values = _groups(rng, (150, 100, 60))
    found = _look(values)
    assert _look(values * [1_000.0, 0.001] + [5.0, -3.0]).count == found.count == 3


def test_the_valley_between_given_segments_is_measured_on_them() -> None:
    rng = np.random.default_rng(9)
    found = _look(_groups(rng, (150, 100, 60)))
    assert found.depth_of(np.repeat([1, 2, 3], (150, 100, 60))) > 0.6
    first_cut = np.concatenate([rng.integers(1, 3, 150), np.repeat([3, 4], (100, 60))])
    assert found.depth_of(first_cut) < 0.6


GROUPS = Partition(3, np.arange(3), 0.5, 0.5, 100)


@pytest.mark.parametrize(
    ("second", "first", "better"),
    [
        # more groups: with a deep valley from none, with any valley from some
        (Weighed(2, 2, 0.75, GROUPS), Weighed(1, 1, 0.0, None), True),
        (Weighed(2, 2, 0.74, GROUPS), Weighed(1, 1, 0.0, None), False),
        (Weighed(3, 1, 0.1, GROUPS), Weighed(2, 2, 0.9, GROUPS), True),
        # as many or fewer: when all have deep valleys, which those before had not, and no fewer or deeper ones
        (Weighed(3, 3, 0.6, GROUPS), Weighed(3, 2, 0.9, GROUPS), True),
        (Weighed(3, 3, 0.9, GROUPS), Weighed(3, 3, 0.6, GROUPS), False),
        (Weighed(2, 2, 0.6, GROUPS), Weighed(4, 3, 0.5, GROUPS), True),
        (Weighed(2, 2, 0.6, GROUPS), Weighed(4, 3, 0.6, GROUPS), False),
        (Weighed(3, 2, 0.9, GROUPS), Weighed(3, 1, 0.1, GROUPS), False),
        (Weighed(1, 1, 0.9, None), Weighed(1, 1, 0.1, None), False),
    ],
)
def test_a_look_at_fewer_features_is_taken_when_it_shows_groups_better(
    second: Weighed, first: Weighed, better: bool
) -> None:
    nothing = Signs(None, None, {}, 0, 10.0)  # type: ignore[arg-type]
    assert _better(second, nothing, first, nothing) is better


def test_as_many_groups_are_better_shown_by_their_own_segments() -> None:
    def signs(shallowest: float) -> Signs:
        own = Partition(3, np.arange(3), 0.5, shallowest, 100)
        return Signs(None, None, {3: sign(own)}, 0, 10.0)  # type: ignore[arg-type]

    same = Weighed(3, 1, 0.1, GROUPS)
    assert _better(same, signs(0.60), same, signs(0.59))
    assert not _better(same, signs(0.59), same, signs(0.59))
    assert not _better(same, signs(0.60), same, signs(0.60))


def test_a_measure_and_a_whole_category_have_width_one_and_one_scale_keeps_their_ratio() -> None:
    values = np.column_stack([[0.0, 2.0, 4.0, 6.0], _levels(np.array([0, 1, 2, 2]))])
    scaled = GroupTable(values, np.arange(4), ((1, 2, 3),)).scaled()
    assert scaled[:, 0] == pytest.approx((values[:, 0] - 3.0) / np.sqrt(5.0))
    assert scaled[:, 1:].var(axis=0).sum() == pytest.approx(1.0)
    assert scaled[:, 3] == pytest.approx((values[:, 3] - 0.5) / np.sqrt(10 / 16))
    plain = GroupTable(values[:, :2], np.arange(4), one_scale=True).scaled()
    ratio = plain.std(axis=0)
    assert ratio[0] / ratio[1] == pytest.approx(np.sqrt(5.0) / np.sqrt(3 / 16))
    assert (ratio**2).mean() == pytest.approx(1.0)


@pytest.mark.parametrize(("sharers", "left"), [(7, 100 + 30 + 2 * 7), (6, 100 + 1 + 2 * 6)])
def test_copies_are_one_customer_unless_eight_share_each_of_their_values(sharers: int, left: int) -> None:
    """Thirty customers are zero throughout, and `sharers` others in the first feature, as many in the second."""
    rng = np.random.default_rng(3)
    free, some = rng.normal(size=(100, 2)), rng.normal(size=sharers)
    copied = np.concatenate(
        [free, free[:40], np.zeros((30, 2)), np.column_stack([some, 0.0 * some]), np.column_stack([0.0 * some, some])]
    )
    assert len(GroupTable(copied, np.arange(len(copied))).thinned(rng).values) == left
    assert len(GroupTable(free, np.arange(100)).thinned(rng).values) == 100


def test_one_segment_is_best_where_none_were_measured_and_steps_are_counted_to_the_end() -> None:
    found = _look(np.ones((6, 2)))
    assert (found.silhouettes, found.best_silhouette, found.count) == ({}, 1, 1)
    for values in (np.ones((6, 2)), np.random.default_rng(0).normal(size=(300, 2))):
        steps: list[int] = []
        looked = look_for_groups(GroupTable(values, np.arange(len(values))), steps.append)
        assert sum(steps) == steps_of_evidence()
        assert list(looked.silhouettes) in ([], [*range(2, 9)])


def test_a_value_that_many_share_and_the_levels_of_a_feature_of_few_are_filters() -> None:
    rng = np.random.default_rng(1)
    zeros = np.concatenate([np.zeros(60), rng.exponential(1.0, 140) + 3.0])
    columns = [zeros, np.repeat([0.0, 1.0], 100), rng.integers(0, 3, 200), np.ones(200), rng.normal(size=200)]
    found = {one.places: one for one in filters_of(GroupTable(np.column_stack(columns), np.arange(1_000, 1_200)))}
    assert {places: one.kind for places, one in found.items()} == {(0,): "value", (1,): "values", (2,): "values"}
    assert (found[0,].share, found[0,].row) == (0.3, 1_000)
    assert found[0,].parts.tolist() == [1] * 60 + [0] * 140
    assert (found[1,].apart, found[2,].apart) == (True, False)


def test_groups_that_only_a_flag_parts_are_one_and_the_others_stay() -> None:
    rng = np.random.default_rng(0)
    flag = np.repeat([0.0, 1.0, 0.0], 150)
    places = np.repeat([[0.0, 0.0], [0.0, 0.0], [6.0, 6.0]], 150, axis=0) + rng.normal(size=(450, 2))
    table = GroupTable(np.column_stack([places, flag, flag]), np.arange(450))
    found = look_for_groups(table)
    assert (found.count, found.between_valleys) == (2, 2)
    assert found.depth_of(np.repeat([1, 1, 2], 150)) > 1.0


def test_features_are_left_out_three_times_at_most_and_steps_are_those_of_two_looks(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    looked: list[tuple[int, ...]] = []

    def look(table: GroupTable, stream: tuple[int, ...], advance: Callable[[int], None]) -> tuple[Signs, Weighed]:
        looked.append((table.values.shape[1], stream[-1]))
        advance(1)
        return Signs(None, None, {}, 0, 10.0), Weighed(1, 1, 0.0, None)  # type: ignore[arg-type]

    monkeypatch.setattr(evidence, "_look", look)
    monkeypatch.setattr(evidence, "_better", lambda *_: True)
    monkeypatch.setattr(evidence, "_idle_places", lambda _s, _f, _t, left: tuple(range(len(left) + 1)))
    steps: list[int] = []
    assert look_for_groups(GroupTable(np.zeros((9, 6)), np.arange(9)), steps.append).idle == (0, 1)
    assert looked == [(6, 1), (5, 2), (4, 3)]
    assert steps == [1, 1, 0]


def test_a_shared_value_tells_groups_apart_from_the_depth_of_a_valley_on(monkeypatch: pytest.MonkeyPatch) -> None:
    zeros = np.concatenate([np.zeros(60), np.random.default_rng(1).exponential(1.0, 140) + 3.0])
    dip = filters.scaled_dip(np.sort(zeros))
    for deep, apart in ((dip, True), (np.nextafter(dip, np.inf), False)):
        monkeypatch.setattr(filters, "DEEP", deep)
        (found,) = filters_of(GroupTable(zeros[:, None], np.arange(200)))
        assert bool(found.apart) is apart
