"""The advice: what it says to tables and evidence whose answer is known."""

from collections.abc import Mapping
from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pandas as pd
import pytest

from gauger.algorithms.diagnostics.elbow import Elbow
from gauger.algorithms.diagnostics.gap import Gap
from gauger.choosing.advice import CountAdvice, advise_count, only_telling
from gauger.choosing.changes import change_in_words
from gauger.choosing.cuts import fair_segments
from gauger.choosing.evidence import Evidence
from gauger.choosing.filters import NO_FILTERS, Filters
from gauger.choosing.picks import criteria_picks, picks_in_words

SHARP_AT_3 = [1000.0, 500.0, 100.0, 90.0, 82.0, 76.0]
SMOOTH = [1000.0 / count for count in range(1, 7)]
SILHOUETTES = {2: 0.5, 3: 0.7, 4: 0.6, 5: 0.5, 6: 0.45}
FOUND = Evidence(3, 3, SILHOUETTES, dict.fromkeys(SILHOUETTES, 9.0), dict.fromkeys(SILHOUETTES, 0.8), 0, 500)
TELLING = pd.Series({"visits": 0.6, "spend": 0.5})
GAP = Gap({1: 0.1, 2: 0.2, 3: 0.9, 4: 0.8, 5: 0.7, 6: 0.7}, dict.fromkeys(range(1, 7), 0.01))


def _table(wcss: list[float] = SHARP_AT_3, silhouettes: Mapping[int, float] = SILHOUETTES) -> pd.DataFrame:
    table = pd.DataFrame({"wcss": wcss}, index=pd.RangeIndex(1, len(wcss) + 1, name="count"))
    table["silhouette"] = pd.Series(silhouettes, dtype=float)
    settled = {"calinski_harabasz": table["silhouette"], "davies_bouldin": -table["silhouette"]}
    strong = (table.index <= 3).astype(float)
    return table.assign(**settled, prediction_strength=strong, stability=strong, smallest_share=0.1)


def _advice(
    evidence: Evidence = FOUND, table: pd.DataFrame | None = None, gap: Gap = GAP, filters: Filters = NO_FILTERS
) -> CountAdvice:
    shown = _table() if table is None else table
    return advise_count(shown, evidence, gap, names=["visits", "spend"], filters=filters)


def test_groups_with_valleys_between_them_are_clear() -> None:
    advice = _advice()
    assert (advice.count, advice.verdict) == (3, "clear")
    assert advice.reasons[0] == (
        "With 3 segments the silhouette is 0.70, 9 standard deviations above that of one cloud of the same shape, and "
        "customers thin out between each two segments."
    )
    assert advice.reasons[1] == (
        "The silhouette, the elbow, the gap, prediction strength, stability, Caliński-Harabasz and Davies-Bouldin "
        "agree."
    )
    assert advice.alternatives == {4: "the better neighbour (silhouette 0.60), if 3 do not fit the campaign"}
    assert str(advice).startswith("3 segments, clear. With 3 segments")
    assert str(advice).endswith("Also look at 4: the better neighbour (silhouette 0.60), if 3 do not fit the campaign.")


def test_soft_borders_lean_and_name_the_groups_that_are_apart() -> None:
    advice = _advice(replace(FOUND, between_valleys=2))
    assert advice.verdict == "leaning"
    assert "Borders are soft: only 2 groups have a valley between each two." in advice.reasons[0]
    assert advice.alternatives[2] == "only groups with a valley between each two"
    assert "customers hardly thin out" in _advice(replace(FOUND, between_valleys=1)).reasons[0]


def test_every_further_doubt_takes_a_step() -> None:
    weak = dict.fromkeys(SILHOUETTES, 4.0)
    assert _advice(replace(FOUND, excess=weak)).verdict == "leaning"
    assert _advice(replace(FOUND, excess=weak, between_valleys=1)).verdict == "unclear"
    higher = {**SILHOUETTES, 5: 0.8}
    unclear = _advice(replace(FOUND, silhouettes=higher, between_valleys=2), _table(silhouettes=higher))
    assert unclear.verdict == "unclear"
    assert unclear.alternatives[5] == "the highest silhouette (0.80)"


def test_words_and_figures_agree() -> None:
    low = dict.fromkeys(SILHOUETTES, 0.2)
    no_higher = _advice(replace(FOUND, excess=low))
    assert no_higher.reasons[0] == (
        "With 3 segments the silhouette is 0.70, no higher than that of one cloud of the same shape, but customers "
        "thin out between each two segments."
    )
    assert "hardly above that of one cloud" in _advice(replace(FOUND, excess=dict.fromkeys(low, 2.0))).reasons[0]
    of_its_own = _advice(replace(FOUND, excess={**low, 5: 30.0}))
    assert of_its_own.verdict == "leaning"
    assert "30 standard" not in " ".join(of_its_own.reasons)
    hardly_apart = dict.fromkeys(SILHOUETTES, 0.04)
    assert _advice(table=_table(silhouettes=hardly_apart)).verdict == "leaning"


def test_a_rival_count_is_a_doubt_and_an_alternative() -> None:
    advice = _advice(replace(FOUND, rival=5))
    assert advice.verdict == "leaning"
    assert advice.alternatives[5] == "nearly as much speaks for it"


def test_what_a_filter_tells_apart_is_said_first_where_there_is_nothing_else() -> None:
    filters = Filters({"app": (2, "the values of app")}, {"share_online": "the 52% with share_online 0"})
    advice = _advice(replace(FOUND, count=1, between_valleys=1), filters=filters)
    assert advice.reasons[:3] == (
        "Split in 2, segments only repeat the values of app: a filter on app does that, no segments are needed.",
        "The 52% with share_online 0 make no groups by themselves: a filter tells them apart.",
        "Beside that the customers are one cloud: nowhere else do they thin out between segments.",
    )
    assert advice.filters == {"app": "the values of app", "share_online": "the 52% with share_online 0"}
    assert [(remark.code, remark.features) for remark in filters.remarks()] == [
        ("filter-would-do", ("app",)),
        ("filter-would-do", ("share_online",)),
    ]


def test_one_cloud_has_no_structure_and_its_best_cut_is_offered() -> None:
    cloud = replace(FOUND, count=1, between_valleys=1)
    advice = _advice(cloud)
    assert (advice.count, advice.verdict) == (1, "no structure")
    assert advice.reasons[0].startswith("The customers are no more clustered than one cloud of the same shape")
    assert advice.reasons[-1].endswith("but these find a best count in any cloud.")
    assert advice.alternatives == {3: "the best cut through the cloud by the silhouette (0.70)"}
    without_one = _advice(cloud, _table().loc[2:])
    assert (without_one.count, without_one.verdict, without_one.alternatives) == (3, "no structure", {})
    few_values = _table(silhouettes={2: 0.7, 3: 1.0})
    assert _advice(cloud, few_values).reasons[0].startswith("The features take so few values that segments would only")
    nothing = Evidence(1, 1, {}, {}, {}, 0, 4)
    assert _advice(nothing).reasons[0].startswith("Too few customers differ")


def test_a_criterion_that_disagrees_is_named_with_the_reason() -> None:
    early = [1000.0, 100.0, 90.0, 84.0, 80.0, 77.0]
    advice = advise_count(_table(early).assign(calinski_harabasz=[np.nan, 1.0, 3.0, 4.0, 9.0, 2.0]), FOUND, GAP)
    assert "the elbow says 2, taking segments that lie closer together than others together" in advice.reasons[1]
    assert "Caliński-Harabasz says 5, cutting wide segments into parts" in advice.reasons[1]
    assert advice.alternatives == {2: "the elbow"}
    unequal = advise_count(_table(early).assign(smallest_share=0.04), FOUND, GAP)
    assert "taking segments of such unequal size together" in unequal.reasons[1]
    wary = _advice(gap=Gap({1: 0.9, 2: 0.2}, {1: 0.0, 2: 0.0}))
    assert "the gap stays with 1 by its rule" in wary.reasons[1]
    assert "the elbow is faint (at " in _advice(table=_table(SMOOTH)).reasons[1]


def test_what_was_set_aside_left_out_or_tiny_is_said() -> None:
    reasons = _advice(replace(FOUND, aside=10, idle=(1,))).reasons
    assert any("10 isolated customers were set aside to see this (2.0% of those looked at)" in text for text in reasons)
    assert any(
        "once spend is left out (silhouette about 0.70), which plays no part in them: segment" in text
        for text in reasons
    )
    blurred = _advice(replace(FOUND, idle=(1,), valleys=dict.fromkeys(SILHOUETTES, 0.3)))
    assert any("with it the segments do not keep to them: segment without it" in text for text in blurred.reasons)
    assert (blurred.verdict, blurred.leave_out) == ("leaning", ("spend",))
    assert (
        "The customers do fall into 3 groups, but these segments cut some of them and join parts" in blurred.reasons[0]
    )
    assert any(
        "the smallest holds 1.0%" in text for text in _advice(table=_table().assign(smallest_share=0.01)).reasons
    )


def test_the_edges_of_the_range_are_said() -> None:
    assert _advice(table=_table().loc[:3]).reasons[-1].startswith("3 is the highest count tried")
    assert _advice(table=_table().loc[3:]).reasons[-1].startswith("3 is the lowest count tried")
    beyond = _advice(replace(FOUND, count=6, between_valleys=6), _table().loc[:4])
    assert beyond.count == 4
    assert "the customers fall into 6 groups, a count that was not tried" in beyond.reasons[0]


def test_a_rival_nearly_as_high_is_an_alternative() -> None:
    near = {**SILHOUETTES, 4: 0.69}
    advice = _advice(replace(FOUND, silhouettes=near), _table(silhouettes=near))
    assert advice.alternatives == {4: "a silhouette nearly as high (0.69)"}


def test_one_count_alone_is_not_advice() -> None:
    alone = advise_count(_table().loc[:1], replace(FOUND, count=1), Gap({1: 0.1}, {1: 0.1}))
    assert (alone.count, alone.verdict) == (1, "unclear")


def test_each_criterion_picks_by_its_own_rule() -> None:
    table = _table().assign(
        stability=[1.0, 0.9, 0.5, 0.86, 0.2, 0.1], prediction_strength=[1.0, 0.5, 0.2, 0.2, 0.1, 0.1]
    )
    picks = criteria_picks(table, GAP, None)
    assert picks == {
        "silhouette": 3,
        "elbow": None,
        "gap": 3,
        "prediction_strength": 1,
        "stability": 4,
        "calinski_harabasz": 3,
        "davies_bouldin": 3,
    }
    assert picks_in_words({"gap": 2, "stability": 4, "elbow": 2}) == "the gap and the elbow say 2; stability says 4"


def test_the_only_telling_feature_is_found() -> None:
    assert only_telling(pd.Series({"flag": 0.99, "visits": 0.02})) == "flag"
    assert only_telling(pd.Series({"flag": 0.99, "visits": 0.3})) is None
    assert only_telling(pd.Series({"visits": 1.0})) is None


@pytest.mark.parametrize(
    ("other", "words"),
    [
        ([1, 1, 1, 2, 2, 2], "segments 1 and 2 become one"),
        ([1, 1, 2, 3, 4, 4], "segment 2 is split"),
        ([1, 1, 1, 1, 1, 1], "segments 1, 2 and 3 become one"),
    ],
)
def test_a_change_is_told_in_the_advised_segments_numbers(other: list[int], words: str) -> None:
    assert change_in_words(np.array([1, 1, 2, 2, 3, 3]), np.array(other)) == words


@pytest.mark.parametrize(
    ("change", "verdict"),
    [
        ({"excess": dict.fromkeys(SILHOUETTES, 5.01)}, "clear"),
        ({"excess": dict.fromkeys(SILHOUETTES, 5.0)}, "leaning"),
        ({"silhouettes": {**SILHOUETTES, 5: 0.729}}, "clear"),
        ({"silhouettes": {**SILHOUETTES, 5: 0.731}}, "leaning"),
        ({"valleys": dict.fromkeys(SILHOUETTES, 0.6)}, "clear"),
        ({"valleys": dict.fromkeys(SILHOUETTES, 0.59)}, "leaning"),
        ({"between_valleys": 1, "rival": 5}, "unclear"),
        ({"between_valleys": 1, "rival": 5, "excess": dict.fromkeys(SILHOUETTES, 1.0)}, "unclear"),
    ],
)
def test_each_doubt_begins_at_its_bound(change: dict[str, object], verdict: str) -> None:
    assert _advice(replace(FOUND, **change)).verdict == verdict


@pytest.mark.parametrize(("apart", "verdict"), [(0.1, "clear"), (0.0999, "leaning")])
def test_below_a_tenth_segments_are_hardly_apart(apart: float, verdict: str) -> None:
    assert _advice(table=_table(silhouettes=dict.fromkeys(SILHOUETTES, apart))).verdict == verdict


@pytest.mark.parametrize(
    ("excess", "words"),
    [
        (0.99, "no higher than that of one cloud of the same shape, but"),
        (1.0, "hardly above that of one cloud of the same shape, but"),
        (4.0, "hardly above that of one cloud of the same shape, but"),
        (4.01, "4 standard deviations above that of one cloud of the same shape, and"),
    ],
)
def test_the_silhouette_is_weighed_in_words(excess: float, words: str) -> None:
    assert words in _advice(replace(FOUND, excess=dict.fromkeys(SILHOUETTES, excess))).reasons[0]


@pytest.mark.parametrize(("share", "said"), [(0.015, True), (0.0151, False)])
def test_a_smallest_segment_of_no_more_than_fifteen_in_a_thousand_is_said(share: float, said: bool) -> None:
    reasons = _advice(table=_table().assign(smallest_share=share)).reasons
    assert any("the smallest holds 1.5%" in one for one in reasons) is said


@pytest.mark.parametrize(("share", "words"), [(0.25 / 4, "closer together"), (0.24 / 4, "such unequal size")])
def test_sizes_are_unequal_below_a_quarter_of_an_even_share(share: float, words: str) -> None:
    early = _table([1000.0, 100.0, 90.0, 84.0, 80.0, 77.0]).assign(smallest_share=share)
    assert words in _advice(replace(FOUND, count=4, between_valleys=4), early).reasons[1]


def test_of_one_customer_in_thousands_a_tenth_of_a_percent_is_said() -> None:
    reasons = _advice(replace(FOUND, aside=1, looked_at=5_000)).reasons
    assert any("1 isolated customer was set aside to see this (0.1% of those looked at)" in one for one in reasons)
    assert not any("isolated" in one for one in _advice().reasons)


@pytest.mark.parametrize(
    ("tried", "count", "said"),
    [
        (slice(2, 6), 2, None),
        (slice(3, 6), 3, "3 is the lowest count tried: fewer"),
        (slice(2, 5), 5, "5 is the highest count tried: more"),
        (slice(2, 6), 5, None),
        (slice(3, 3), 3, "3 is the lowest count tried: fewer"),
    ],
)
def test_an_edge_is_said_where_more_or_fewer_could_be_tried(tried: slice, count: int, said: str | None) -> None:
    gap = Gap(dict.fromkeys(range(1, 7), 0.5), dict.fromkeys(range(1, 7), 0.0))
    reasons = _advice(replace(FOUND, count=count, between_valleys=count), _table().loc[tried], gap).reasons
    edges = [one for one in reasons if "count tried" in one]
    assert [one.startswith(said or "?") for one in edges] == ([True] if said else [])


@pytest.mark.parametrize(("highest", "few"), [(0.8, True), (0.79, False)])
def test_from_a_silhouette_of_eight_tenths_one_cloud_takes_few_values(highest: float, few: bool) -> None:
    reasons = _advice(replace(FOUND, count=1, between_valleys=1), _table(silhouettes={2: 0.3, 3: highest})).reasons
    assert reasons[0].startswith("The features take so few values") is few


@pytest.mark.parametrize(("strength", "pick"), [(0.4, 3), (0.399, None)])
def test_an_elbow_is_one_from_a_strength_of_four_tenths(strength: float, pick: int | None) -> None:
    assert criteria_picks(_table(), GAP, Elbow(3, strength, 3))["elbow"] == pick


@pytest.mark.parametrize(("strong", "stable"), [(0.8, 0.85), (0.799, 0.849)])
def test_prediction_strength_and_stability_have_the_usual_limits(strong: float, stable: float) -> None:
    table = _table().assign(
        prediction_strength=[1.0, strong, 0.1, 0.1, 0.1, 0.1], stability=[1.0, 0.9, stable, 0.1, 0.1, 0.1]
    )
    picks = criteria_picks(table, GAP, None)
    assert (picks["prediction_strength"], picks["stability"]) == ((2, 3) if strong == 0.8 else (1, 2))


def test_a_tree_picks_its_largest_jump_and_others_have_none() -> None:
    jumps = _table().assign(merge_jump=[np.nan, 1.0, 2.0, 9.0, 3.0, 1.0])
    assert criteria_picks(jumps, GAP, None)["merge_jump"] == 4
    assert "merge_jump" not in criteria_picks(_table(), GAP, None)


@pytest.mark.parametrize(
    ("silhouettes", "excess", "others"),
    [
        ({2: 0.5, 3: 0.7, 4: 0.671, 5: 0.6, 6: 0.45}, 9.0, {4}),
        ({2: 0.5, 3: 0.7, 4: 0.669, 5: 0.668, 6: 0.45}, 9.0, {4}),  # neither is near: the better neighbour
        ({2: 0.69, 3: 0.7, 4: 0.68, 5: 0.69, 6: 0.69}, 9.0, {2, 5, 6}),  # three at most
        ({2: 0.69, 3: 0.7, 4: 0.695, 5: 0.6, 6: 0.45}, 4.0, {4}),  # none is above a cloud: the better neighbour
    ],
)
def test_counts_nearly_as_good_are_alternatives_three_at_most(
    silhouettes: dict[int, float], excess: float, others: set[int]
) -> None:
    found = replace(FOUND, silhouettes=silhouettes, excess=dict.fromkeys(silhouettes, excess))
    assert set(_advice(found, _table(silhouettes=silhouettes)).alternatives) == others


def test_at_the_edge_there_is_one_neighbour_and_alone_there_is_none() -> None:
    two = {2: 0.7, 3: 0.5}
    advice = _advice(replace(FOUND, count=2, between_valleys=2, silhouettes=two), _table(silhouettes=two).loc[2:3])
    assert advice.alternatives == {3: "the better neighbour (silhouette 0.50), if 2 do not fit the campaign"}
    alone = _advice(replace(FOUND, silhouettes={3: 0.7}), _table(silhouettes={3: 0.7}).loc[3:3])
    assert alone.alternatives == {}


@pytest.mark.parametrize(
    ("shares", "telling"),
    [([0.9, 0.099], "a"), ([0.9, 1.0 - 0.9], None), ([0.899, 0.05], None), ([0.95, 0.1001], None), ([0.05, 0.95], "b")],
)
def test_a_feature_tells_segments_alone_from_nine_tenths_where_the_next_has_less_than_one(
    shares: list[float], telling: str | None
) -> None:
    assert only_telling(pd.Series(shares, index=["a", "b"])) == telling


def test_groups_that_were_not_tried_are_approached_from_the_nearest_count() -> None:
    gap = Gap(dict.fromkeys((2, 6), 0.5), dict.fromkeys((2, 6), 0.0))
    table = _table().loc[[2, 3, 6]]
    assert _advice(replace(FOUND, count=5, between_valleys=5), table, gap).count == 6
    assert _advice(replace(FOUND, count=4, between_valleys=4), table, gap).count == 3  # of two as near the lower


def test_segments_that_do_not_keep_to_the_groups_have_another_way_on() -> None:
    words = "A tree or density may keep the groups whole"
    cut = _advice(replace(FOUND, valleys=dict.fromkeys(SILHOUETTES, 0.3)))
    assert any(words in one for one in cut.reasons)
    for change in ({}, {"valleys": dict.fromkeys(SILHOUETTES, 0.3), "between_valleys": 2}):
        assert not any(words in one for one in _advice(replace(FOUND, **change)).reasons)


@pytest.mark.parametrize(
    ("advised", "other", "words"),
    [
        ([1, 1, 2, 2, 3, 3], [2, 2, 2, 2, 1, 1], "segments 1 and 2 become one"),
        ([1, 1, 2, 2, 3, 3, 3], [1, 1, 2, 2, 3, 3, 4], "segment 3 is split"),
        ([1, 1, 2, 2, 3, 3], [3, 3, 1, 1, 2, 2], "most customers change their segment"),
        ([1, 1, 1, 2, 2, 2], [1, 2, 2, 3, 3, 4], "segment 1 is split and segment 2 is split"),
    ],
)
def test_a_change_is_told_whatever_the_other_segments_are_called(
    advised: list[int], other: list[int], words: str
) -> None:
    assert change_in_words(np.array(advised), np.array(other)) == words


@pytest.mark.parametrize(
    ("sizes", "fair"), [([100, 100, 2], 2), ([985, 15], 1), ([984, 16], 2), ([3, 1, 1], 1), ([2, 2], 2)]
)
def test_fair_segments_have_more_than_fifteen_in_a_thousand_and_more_than_one(sizes: list[int], fair: int) -> None:
    assert fair_segments(np.array(sizes)) == fair


def test_what_a_change_would_do_is_told_where_segments_are_given() -> None:
    plain = _advice()
    codes = {count: np.arange(12) % count + 1 for count in range(1, 7)}
    made = {count: SimpleNamespace(codes=one, explained_by_feature=TELLING) for count, one in codes.items()}
    told = advise_count(_table(), replace(FOUND, signs=None), GAP, names=["visits", "spend"], segmentations=made)
    assert list(told.alternatives) == list(plain.alternatives)
    for count, why in told.alternatives.items():
        assert why == f"{plain.alternatives[count]}; {change_in_words(codes[3], codes[count])}"


def test_a_count_that_was_not_measured_has_no_silhouette_to_come_near() -> None:
    """The advised count is not among the silhouettes: all of them are nearly as high, or higher."""
    few = _table(silhouettes={2: 0.1, 4: 0.12, 5: 0.05})
    assert list(_advice(replace(FOUND, excess=dict.fromkeys(SILHOUETTES, 9.0)), few).alternatives)[:2] == [4, 2]
