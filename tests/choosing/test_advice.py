"""The advice: what it says to tables and evidence whose answer is known."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import pandas as pd
import pytest

from gauger.algorithms.diagnostics.gap import Gap
from gauger.choosing.advice import CountAdvice, advise_count, only_telling
from gauger.choosing.changes import change_in_words
from gauger.choosing.evidence import Evidence
from gauger.choosing.filters import NO_FILTERS, Filters
from gauger.choosing.picks import criteria_picks, picks_in_words

SHARP_AT_3 = [1000.0, 500.0, 100.0, 90.0, 82.0, 76.0]
SMOOTH = [1000.0 / count for count in range(1, 7)]
SILHOUETTES = {2: 0.5, 3: 0.7, 4: 0.6, 5: 0.5, 6: 0.45}
FOUND = Evidence(3, 3, SILHOUETTES, dict.fromkeys(SILHOUETTES, 9.0), dict.fromkeys(SILHOUETTES, 0.8), 0, 500)
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
