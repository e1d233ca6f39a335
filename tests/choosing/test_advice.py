"""The elbow and the advice: what they say to curves whose answer is known."""

import numpy as np
import pandas as pd
import pytest

from gauger.choosing.advice import CountAdvice, advise_count
from gauger.choosing.elbow import find_elbow


def _advice(silhouettes: dict[int, float], wcss: list[float], smallest: float = 0.1) -> CountAdvice:
    counts = range(1, len(wcss) + 1)
    table = pd.DataFrame({"wcss": wcss, "smallest_share": smallest}, index=pd.Index(counts, name="count"))
    table["silhouette"] = pd.Series(silhouettes).reindex(counts)
    return advise_count(table)


SHARP_AT_3 = [1000.0, 500.0, 100.0, 90.0, 82.0, 76.0]
SMOOTH = [1000.0 / count for count in range(1, 7)]


def test_a_sharp_bend_is_found_with_its_strength() -> None:
    elbow = find_elbow(range(1, 7), SHARP_AT_3)
    before, after = np.log(500 / 100) / np.log(3 / 2), np.log(100 / 90) / np.log(4 / 3)
    assert elbow.count == 3
    assert elbow.strength == pytest.approx(1 - after / before)


@pytest.mark.parametrize("power", [0.3, 0.5, 1.0, 2.0])
def test_a_curve_that_falls_like_a_power_has_no_elbow_to_speak_of(power: float) -> None:
    counts = np.arange(1, 11)
    assert find_elbow(counts, 1000.0 * counts**-power).strength == pytest.approx(0.0, abs=1e-9)


def test_too_few_counts_or_a_flat_curve_have_no_elbow() -> None:
    assert find_elbow([1, 2], [9.0, 1.0]) is None
    assert find_elbow([1, 2, 3], [5.0, 5.0, 5.0]) is None


def test_a_curve_that_reaches_zero_is_an_elbow_of_full_strength() -> None:
    assert find_elbow([1, 2, 3, 4], [9.0, 4.0, 0.0, 0.0]).strength == pytest.approx(1.0)


def test_agreeing_signs_and_wide_gaps_make_it_clear() -> None:
    advice = _advice({2: 0.5, 3: 0.7, 4: 0.6, 5: 0.5, 6: 0.5}, SHARP_AT_3)
    assert (advice.count, advice.verdict) == (3, "clear")
    assert advice.reasons[0].startswith("The silhouette is highest with 3 segments, 0.70 against 0.60 with 4")
    assert advice.reasons[1].startswith("The elbow agrees: it is at 3")
    assert advice.alternatives == {4: "the better neighbour (0.60), if 3 do not fit the campaign"}
    assert str(advice).startswith("3 segments, clear. The silhouette is highest")
    assert str(advice).endswith("Also look at 4: the better neighbour (0.60), if 3 do not fit the campaign.")


def test_a_disagreeing_elbow_makes_it_unclear_and_is_an_alternative() -> None:
    advice = _advice({2: 0.3, 3: 0.4, 4: 0.5, 5: 0.6, 6: 0.5}, SHARP_AT_3)
    assert (advice.count, advice.verdict) == (5, "unclear")
    assert advice.reasons[1].startswith("The elbow disagrees: it is at 3")
    assert list(advice.alternatives) == [3]


def test_a_faint_elbow_decides_little() -> None:
    advice = _advice({2: 0.4, 3: 0.6, 4: 0.5}, SMOOTH)
    assert advice.verdict == "clear"
    assert "faint" in advice.reasons[1]


def test_a_rival_nearly_as_good_makes_it_leaning() -> None:
    advice = _advice({2: 0.5, 3: 0.70, 4: 0.69}, SHARP_AT_3)
    assert advice.verdict == "leaning"
    assert advice.alternatives == {4: "a silhouette nearly as high (0.69)"}


def test_hardly_any_separation_is_unclear_and_says_there_may_be_no_groups() -> None:
    advice = _advice({2: 0.15, 3: 0.2, 4: 0.18}, SMOOTH)
    assert advice.verdict == "unclear"
    assert "may form one cloud" in advice.reasons[0]


def test_counts_that_make_a_tiny_segment_are_not_considered() -> None:
    table = pd.DataFrame(
        {"wcss": SMOOTH[:4], "silhouette": [np.nan, 0.9, 0.5, 0.4], "smallest_share": [1.0, 0.004, 0.2, 0.1]},
        index=pd.Index(range(1, 5), name="count"),
    )
    advice = advise_count(table)
    assert advice.count == 3
    assert any(reason.startswith("Not considered: 2 segments") for reason in advice.reasons)


def test_the_edge_of_the_range_is_said() -> None:
    assert "6 is the highest count tried" in _advice({5: 0.5, 6: 0.6}, SMOOTH).reasons[-1]
    table = pd.DataFrame(
        {"wcss": [90.0, 50.0, 20.0], "silhouette": [0.7, 0.5, 0.4], "smallest_share": 0.1},
        index=pd.Index([4, 5, 6], name="count"),
    )
    assert "4 is the lowest count tried" in advise_count(table).reasons[-1]


def test_one_count_alone_is_not_advice() -> None:
    assert _advice({}, [10.0]).verdict == "unclear"
    assert _advice({2: 0.4}, [10.0, 5.0]).reasons[0].startswith("With 2 segments, the only count to consider")
