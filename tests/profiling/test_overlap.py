"""Overlap and closeness on customers whose distances are plain to see."""

import numpy as np
import pandas as pd
import pytest
from naive_density import features_of

import gauger
from gauger.profiling.closeness import distances_to_segments, lies_around_centres, looks_mixed, own_distances, sample_of
from gauger.profiling.overlap import about_overlap, overlap_of
from gauger.segmentation import segmentation_from_codes


def _seg(values: list[float], codes: list[int]) -> gauger.Segmentation:
    return segmentation_from_codes(features_of(np.array(values)), np.array(codes), method="by hand")


def test_the_next_segment_and_who_is_nearly_as_close_to_it_are_worked_by_hand() -> None:
    """Centres at 0, 10 and 30. Of segment 2, 6 is 4 from its own centre and 6 from the first: more than 1.25 times; 5.5
    is 4.5 and 5.5: nearly as close. The others of 2 are near their centre."""
    seg = _seg([-1, 1, 0, 6, 5.5, 14, 14.5, 29, 31], [1, 1, 1, 2, 2, 2, 2, 3, 3])
    found = overlap_of(seg, resamples=0, seed=0)
    assert found["nearest"].tolist() == [2, 1, 2]
    assert found["near_share"].tolist() == pytest.approx([0.0, 0.25, 0.0])
    assert found["stability"].isna().all()
    assert found[["dissolved", "resamples"]].to_numpy().tolist() == [[0, 0]] * 3


def test_a_quarter_farther_is_nearly_as_close() -> None:
    """Centres at 0 and 9: the customer at 4 is 4 and 5 away, one at 3.9 is 3.9 and 5.1."""
    for inner, share in ((4.0, 1 / 3), (3.9, 0.0)):
        seg = _seg([-inner, 0.0, inner, 8.0, 10.0], [1, 1, 1, 2, 2])
        assert overlap_of(seg, resamples=0, seed=0)["near_share"][1] == pytest.approx(share)


def test_one_segment_has_none_next_to_it() -> None:
    found = overlap_of(_seg([1.0, 2.0], [1, 1]), resamples=0, seed=0)
    assert found["nearest"].isna().all()
    assert found["near_share"].isna().all()


def test_the_unassigned_are_not_asked() -> None:
    seg = _seg([0.0, 1.0, 2.0, 5.2, 9.0, 10.0, 11.0], [1, 1, 1, 0, 2, 2, 2])
    assert overlap_of(seg, resamples=0, seed=0)["near_share"].tolist() == [0.0, 0.0]
    seg = _seg([0.0, 1.0, 2.0, 5.2, 9.0, 10.0, 11.0], [1, 1, 1, 2, 2, 2, 2])
    assert overlap_of(seg, resamples=0, seed=0)["near_share"][2] == pytest.approx(0.25)


def _table(near: list[float], dissolved: list[int], resamples: int = 20) -> pd.DataFrame:
    table = pd.DataFrame({"nearest": [2] + [1] * (len(near) - 1), "near_share": near, "dissolved": dissolved})
    table.index += 1
    return table.assign(resamples=resamples).astype({"nearest": "Int64"})


def test_from_a_fifth_of_their_customers_two_segments_overlap() -> None:
    (found,) = about_overlap(_table([0.2, 0.199, np.nan], [0, 0, 0]))
    assert (found.code, found.segments) == ("overlapping", (1,))
    assert found.text.startswith("20% of segment 1 are nearly as close to segment 2: the border")


def test_beyond_a_fifth_of_the_resamples_a_segment_that_dissolves_is_remarked() -> None:
    (found,) = about_overlap(_table([0.0, 0.0, 0.0], [4, 5, 0]))
    assert (found.code, found.segments) == ("dissolving", (2,))
    assert "segment 2 dissolves in 5 of 20 resamples" in found.text
    assert "Do not build a campaign on it alone" in found.text
    (both,) = about_overlap(_table([0.0, 0.0, 0.0], [6, 5, 0]))
    assert "Do not build a campaign on them alone" in both.text
    assert list(about_overlap(_table([0.0] * 3, [0] * 3, resamples=0))) == []


def test_of_many_segments_four_are_named() -> None:
    table = _table([0.5] * 6, [0] * 6, resamples=0)
    (found,) = about_overlap(table)
    assert "segment 4 are nearly as close to segment 1; and 2 more segments so: the border" in found.text
    (five,) = about_overlap(table[:5])
    assert "; and 1 more segment so: the border" in five.text
    (four,) = about_overlap(table[:4])
    assert "more segment" not in four.text


@pytest.mark.parametrize(
    ("placed", "in_all", "mixed"), [(0.749, 0.9, True), (0.75, 0.9, False), (0.749, 0.899, False), (0.0, 1.0, True)]
)
def test_segments_look_mixed_where_they_are_apart_elsewhere(placed: float, in_all: float, mixed: bool) -> None:
    assert looks_mixed(placed, in_all) is mixed


@pytest.mark.parametrize(("strays", "around"), [(2, True), (3, False)])
def test_segments_lie_around_their_centres_from_four_fifths(strays: int, around: bool) -> None:
    """Ten customers at 0 and 100, of whom so many are called after the other place."""
    codes = np.repeat([1, 2], 5)
    codes[:strays] = 2
    seg = segmentation_from_codes(features_of(np.repeat([0.0, 100.0], 5) + np.arange(10) / 10), codes, method="hand")
    assert lies_around_centres(seg) is around


def test_closeness_without_centres_is_to_the_fifth_nearest_or_the_last_of_fewer() -> None:
    seg = _seg([0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 20.0, 22.0], [1, 1, 1, 1, 1, 1, 2, 2])
    found = distances_to_segments(seg, np.array([0, 6]), around=False)
    assert found.tolist() == [[4.0, 22.0], [19.0, 2.0]]
    centres = distances_to_segments(seg, np.array([0, 6]), around=True)
    assert centres.tolist() == [[2.5, 21.0], [17.5, 1.0]]


def test_own_distances_are_the_centres_or_the_neighbours() -> None:
    ring = np.concatenate([np.arange(8.0), [100.0] * 8])
    around = _seg(ring.tolist(), [1] * 8 + [2] * 8)
    assert own_distances(around).tolist() == around.distances.tolist()
    mixed = np.array([1, 2] * 8)
    mixed[0] = 0
    seg = segmentation_from_codes(features_of(np.arange(16.0)), mixed, method="hand")
    found = own_distances(seg)
    assert np.isnan(found[0])
    assert found[1] == 8.0  # of 1, 3, 5, 7, 9: the fifth nearest of the own segment, itself the first
    assert found[7] == 4.0


def test_a_sample_is_always_the_same_and_in_order() -> None:
    assert sample_of(20_000).tolist() == list(range(20_000))
    some = sample_of(20_001)
    assert len(some) == 20_000
    assert (np.diff(some) > 0).all()
    assert sample_of(20_001) is some
    assert sample_of(10, 3).tolist() == sorted(sample_of(10, 3).tolist())
    assert len(sample_of(10, 3)) == 3


def test_stability_is_one_where_segments_always_come_back() -> None:
    rng = np.random.default_rng(0)
    features = features_of(np.concatenate([rng.normal(size=40), rng.normal(90.0, 1.0, 40)]))
    found = overlap_of(gauger.segment_by_kmeans(features, 2), resamples=4, seed=1)
    assert found["stability"].tolist() == [1.0, 1.0]
    assert found["dissolved"].tolist() == [0, 0]
    assert found["resamples"].tolist() == [4, 4]
    with pytest.raises(gauger.errors.SettingError):
        overlap_of(gauger.segment_by_kmeans(features, 2), resamples=-1, seed=1)
