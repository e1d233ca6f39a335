"""Weighing: each rule on signs that are made by hand, at its bound and just off it."""

from typing import Any

import numpy as np
import pytest

from gauger.choosing import weighing
from gauger.choosing.signs import CountSigns, InClouds, Partition, Signs
from gauger.choosing.weighing import Weighed, weigh

LEAST = 10.0
CLOUDS = InClouds((0.3, 0.01), (0.1, 0.1), (0.05, 0.01))
SOFT = InClouds((0.3, 0.01), (0.35, 0.1), (0.05, 0.01))
"""Clouds with shallow valleys, against which most segments are firm, and with deeper ones, against which few are."""


def part(count: int, silhouette: float, shallowest: float, smallest: int = 100) -> Partition:
    return Partition(count, np.arange(count), silhouette, shallowest, smallest)


def sign(own: Partition, **more: Any) -> CountSigns:
    """The signs of one count: all valleys as deep as the shallowest, and nothing else speaks, unless it is given."""
    depth = more.pop("depth", own.shallowest)
    given = {
        "merged": (),
        "lonely": part(own.count, own.silhouette, 0.0),
        "depths": np.full((own.count, own.count), depth),
        "excess": 6.0,
        "clouds": CLOUDS,
        **more,
    }
    return CountSigns(own, **given)


def weighed(*signs: CountSigns) -> Weighed:
    by_count = {one.own.count: one for one in signs}
    return weigh(Signs(None, None, by_count, 0, LEAST))  # type: ignore[arg-type]


def test_deep_valleys_between_all_segments_are_groups() -> None:
    own = part(3, 0.6, 0.8)
    found = weighed(sign(part(2, 0.5, 0.1)), sign(own))
    assert (found.count, found.between_valleys, found.depth) == (3, 3, 0.8)
    assert found.groups is found.firm is own
    assert (found.rival, found.peak) == (None, 3)


@pytest.mark.parametrize(
    ("depth", "clouds", "groups"),
    [
        (0.60, CLOUDS, 2),
        (0.59, CLOUDS, 1),
        (0.80, InClouds((0.3, 0.01), (0.2, 0.2), (0.05, 0.01)), 2),
        (0.79, InClouds((0.3, 0.01), (0.2, 0.2), (0.05, 0.01)), 1),
    ],
)
def test_a_valley_is_deep_from_a_dip_and_from_three_deviations_beyond_clouds(
    depth: float, clouds: InClouds, groups: int
) -> None:
    assert weighed(sign(part(2, 0.5, depth), clouds=clouds)).between_valleys == groups


@pytest.mark.parametrize(("depth", "groups"), [(0.85, 2), (0.84, 1)])
def test_valleys_must_be_deeper_by_twice_the_silhouette_that_is_given_up(depth: float, groups: int) -> None:
    highest = sign(part(3, 0.625, 0.1))
    assert weighed(sign(part(2, 0.5, depth)), highest).between_valleys == groups


@pytest.mark.parametrize(("smallest", "groups"), [(8, 2), (7, 1)])
def test_groups_between_valleys_have_four_fifths_of_the_least_size(smallest: int, groups: int) -> None:
    assert weighed(sign(part(2, 0.5, 0.9, smallest))).between_valleys == groups


@pytest.mark.parametrize(("linked", "groups"), [(0.46, 2), (0.45, 1)])
def test_segments_with_a_shallow_valley_between_them_count_as_one(linked: float, groups: int) -> None:
    assert weighed(sign(part(2, 0.5, 0.9), depth=linked)).between_valleys == groups


@pytest.mark.parametrize(("depth", "groups"), [(0.95, 2), (0.94, 1)])
def test_merged_segments_need_deeper_valleys(depth: float, groups: int) -> None:
    merged = (part(2, 0.5, depth),)
    assert weighed(sign(part(3, 0.5, 0.1), merged=merged, depth=0.9)).between_valleys == groups


def test_more_groups_with_valleys_win_and_fewer_do_not() -> None:
    two, three = sign(part(2, 0.5, 0.9)), sign(part(3, 0.5, 0.9), merged=(part(2, 0.5, 1.9),))
    found = weighed(two, three)
    assert found.between_valleys == 3
    assert found.firm is three.own
    kept = weighed(two, sign(part(3, 0.5, 0.2), merged=(part(2, 0.5, 1.9),), depth=0.9))
    assert kept.firm is two.own


@pytest.mark.parametrize(("excess", "count"), [(4.1, 2), (4.0, 1)])
def test_without_deep_valleys_the_silhouette_must_be_four_deviations_above_a_cloud(excess: float, count: int) -> None:
    found = weighed(sign(part(2, 0.5, 0.5), excess=excess))
    assert (found.count, found.between_valleys, found.depth) == (count, 1, 0.0)
    assert found.peak == count


@pytest.mark.parametrize(("depth", "count"), [(1.21, 2), (1.2, 1)])
def test_a_valley_that_is_plain_to_see_speaks_whatever_the_silhouette_says(depth: float, count: int) -> None:
    assert weighed(sign(part(2, 0.1, depth), excess=0.0)).count == count


@pytest.mark.parametrize(
    ("depth", "clouds", "count"),
    [
        (0.40, CLOUDS, 2),  # firm
        (0.39, CLOUDS, 1),
        (0.40, SOFT, 2),  # not firm, and no deeper in clouds
        (0.39, SOFT, 1),
        (0.50, InClouds((0.3, 0.01), (0.4, 0.1), (0.3, 0.1)), 2),  # 0.5 in clouds by the two least apart
        (0.49, InClouds((0.3, 0.01), (0.4, 0.1), (0.3, 0.1)), 1),
        (0.50, InClouds((0.3, 0.01), (0.3, 0.1), (0.4, 0.1)), 2),  # 0.5 by the nearest
        (0.49, InClouds((0.3, 0.01), (0.3, 0.1), (0.4, 0.1)), 1),
    ],
)
def test_two_segments_need_a_faint_valley(depth: float, clouds: InClouds, count: int) -> None:
    assert weighed(sign(part(2, 0.5, depth), clouds=clouds)).count == count


@pytest.mark.parametrize(
    ("silhouette", "depth", "clouds", "count"),
    [
        (0.5, 0.35, CLOUDS, 3),
        (0.5, 0.34, CLOUDS, 1),
        (0.5, 0.38, SOFT, 3),
        (0.5, 0.37, SOFT, 1),
        (0.625, 0.225, CLOUDS, 3),  # wins 0.125 against two segments, and may be so much shallower
        (0.625, 0.224, CLOUDS, 1),
        (0.46875, 0.56875, CLOUDS, 3),  # gives up 0.03125, and must be deeper by seven times that
        (0.46875, 0.5687, CLOUDS, 1),
        (0.4375, 0.6, CLOUDS, 1),  # gives up more than 0.05
        (0.4375, 5.0, SOFT, 3),  # but for valleys that are deep by themselves
    ],
)
def test_more_segments_trade_depth_for_silhouette(
    silhouette: float, depth: float, clouds: InClouds, count: int
) -> None:
    """Valleys to the nearest segments are firm at 0.55 against `CLOUDS`, and not against `SOFT`."""
    nearest = min(max(depth, 0.55), 0.59) if depth < 1.0 else depth
    three = sign(part(3, silhouette, depth), depth=nearest, clouds=clouds)
    assert weighed(sign(part(2, 0.5, 0.1)), three).count == count


@pytest.mark.parametrize(("smallest", "count"), [(10, 3), (9, 1)])
def test_segments_with_faint_valleys_have_the_least_size(smallest: int, count: int) -> None:
    assert weighed(sign(part(2, 0.5, 0.1)), sign(part(3, 0.5, 0.5, smallest))).count == count


def test_a_count_whose_segments_are_too_small_is_not_heard() -> None:
    """Two segments with a silhouette of 0.9 would take more than three could give up, were one of them not tiny."""
    three = sign(part(3, 0.5, 0.5))
    assert weighed(sign(part(2, 0.9, 0.1)), three).count == 1
    assert weighed(sign(part(2, 0.9, 0.1, 9)), three).count == 3


@pytest.mark.parametrize(
    ("silhouette", "depth", "smallest", "count"),
    [
        (0.5, 0.38, 10, 3),
        (0.5, 0.37, 10, 2),
        (0.5, 0.38, 9, 2),
        (0.46875, 0.66125, 10, 3),  # gives up 0.03125, and must be deeper by nine times that
        (0.46875, 0.6612, 10, 2),
        (0.625, 0.255, 10, 3),
        (0.625, 0.254, 10, 2),
    ],
)
def test_beside_deep_valleys_customers_weighted_by_their_space_may_add_a_segment(
    silhouette: float, depth: float, smallest: int, count: int
) -> None:
    two = sign(part(2, 0.5, 0.9))
    three = sign(part(3, 0.2, 0.0), lonely=part(3, silhouette, depth, smallest))
    assert weighed(two, three).count == count
    assert weighed(sign(part(2, 0.5, 0.1)), three).count == 1  # without deep valleys nobody asks them


@pytest.mark.parametrize(
    ("silhouette", "depth", "smallest", "rival"),
    [
        (0.45, 0.35, 10, 3),
        (0.449, 0.35, 10, None),
        (0.45, 0.349, 10, None),
        (0.45, 0.35, 9, None),
    ],
)
def test_a_silhouette_nearly_as_high_with_faint_valleys_is_a_rival(
    silhouette: float, depth: float, smallest: int, rival: int | None
) -> None:
    three = sign(part(3, silhouette, depth, smallest))
    assert weighed(sign(part(2, 0.5, 0.9)), three).rival == rival
    assert weighed(sign(part(2, 0.5, 0.9))).rival is None


@pytest.mark.parametrize(
    ("depth", "smallest", "clouds", "rival"),
    [
        (0.42, 10, CLOUDS, 3),
        (0.419, 10, CLOUDS, None),
        (0.42, 9, CLOUDS, None),
        (0.55, 10, InClouds((0.3, 0.01), (0.1, 0.1), (0.4, 0.05)), 3),
        (0.54, 10, InClouds((0.3, 0.01), (0.1, 0.1), (0.4, 0.05)), None),
    ],
)
def test_a_small_group_that_only_weighted_customers_show_is_a_rival(
    depth: float, smallest: int, clouds: InClouds, rival: int | None
) -> None:
    three = sign(part(3, 0.2, 0.0), lonely=part(3, 0.2, depth, smallest), clouds=clouds)
    assert weighed(sign(part(2, 0.5, 0.9)), three).rival == rival


@pytest.mark.parametrize(
    ("depth", "smallest", "clouds", "rival"),
    [
        (0.51, 10, CLOUDS, 3),
        (0.50, 10, CLOUDS, None),
        (0.51, 9, CLOUDS, None),
        (0.66, 10, InClouds((0.3, 0.01), (0.5, 0.05), (0.05, 0.01)), 3),
        (0.65, 10, InClouds((0.3, 0.01), (0.5, 0.05), (0.05, 0.01)), None),
    ],
)
def test_merged_segments_with_deep_valleys_are_a_rival(
    depth: float, smallest: int, clouds: InClouds, rival: int | None
) -> None:
    four = sign(part(4, 0.2, 0.0), merged=(part(3, 0.2, depth, smallest), part(2, 0.2, 9.0)), clouds=clouds)
    assert weighed(sign(part(2, 0.5, 0.9)), four).rival == rival


@pytest.mark.parametrize(
    ("depths", "firm"),
    [
        ([[9.0, 0.4], [0.4, 9.0]], 4.0),  # 0.3 above clouds by errors of 0.1 / sqrt(2): 4.2
        ([[9.0, 0.38], [0.38, 9.0]], 3.9),
    ],
)
def test_firmness_is_in_standard_errors_of_the_mean_of_soft_valleys(depths: list[list[float]], firm: float) -> None:
    own = sign(part(2, 0.5, 0.4))
    made = CountSigns(own.own, (), own.lonely, np.array(depths), 6.0, CLOUDS)
    expected = (depths[0][1] - 0.1) / 0.1 * np.sqrt(2.0)
    assert made.firmness == pytest.approx(expected)
    assert (made.firmness >= firm) == (firm < expected)


def test_firmness_leaves_out_deep_valleys_and_is_infinite_where_there_are_no_others() -> None:
    three = np.array([[0.0, 0.7, 0.3], [0.7, 0.0, 0.9], [0.3, 0.9, 0.0]])
    own = sign(part(3, 0.5, 0.3), depths=three)
    assert own.firmness == pytest.approx((0.3 - 0.1) / 0.1 * np.sqrt(2.0))  # the second segment's is 0.7
    assert sign(part(2, 0.5, 0.6)).firmness == np.inf
    assert np.isfinite(sign(part(2, 0.5, 0.59)).firmness)


def test_firmness_counts_from_its_bound(monkeypatch: pytest.MonkeyPatch) -> None:
    firm = sign(part(3, 0.5, 0.36), clouds=SOFT)
    for bound, count in ((firm.firmness, 3), (np.nextafter(firm.firmness, np.inf), 1)):
        monkeypatch.setattr(weighing, "FIRM", bound)
        assert weighed(sign(part(2, 0.5, 0.1)), firm).count == count


def test_with_deep_valleys_more_segments_need_no_silhouette_above_a_cloud() -> None:
    """Two have a deep valley between them; three hardly more than a cloud, and faint ones."""
    three = sign(part(3, 0.55, 0.45), excess=0.0)
    assert weighed(sign(part(2, 0.5, 0.9)), three).count == 3
    assert weighed(sign(part(2, 0.5, 0.1), excess=0.0), three).count == 1


def test_groups_between_valleys_are_heard_though_no_count_has_their_segments() -> None:
    """Three segments of which two are joined: what four lose against these, their valleys make up for sevenfold."""
    merged = (part(2, 0.5, 1.2, 90),)
    three = sign(part(3, 0.5, 0.1, 1), merged=merged, depth=0.9)
    for silhouette, count in ((0.48, 4), (0.47, 2)):
        assert weighed(three, sign(part(4, silhouette, 0.55))).count == count
