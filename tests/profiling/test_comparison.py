"""Two segmentations side by side, against figures worked by hand and the pair-counting definition."""

from itertools import combinations

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from naive_density import features_of

import gauger
from gauger.clustering import segment_by_bands
from gauger.errors import KeyColumnError, SettingError, UnknownColumnError
from gauger.profiling import segmentation_from_assignments
from gauger.segmentation import segmentation_from_codes

ONE = [1, 1, 1, 1, 2, 2, 2, 0]
OTHER = [2, 2, 2, 0, 1, 1, 2, 0]


def _seg(codes: list[int], keys: object = None, method: str = "hand") -> gauger.Segmentation:
    return segmentation_from_codes(features_of(np.arange(float(len(codes))), keys), np.array(codes), method=method)


def test_the_figures_are_those_worked_by_hand() -> None:
    found = gauger.compare(_seg(ONE), _seg(OTHER))
    assert found.crossing.to_numpy().tolist() == [[0, 3, 1], [2, 1, 0], [0, 0, 1]]
    assert found.crossing.index.tolist() == [1, 2, "unassigned"]
    assert found.crossing.columns.tolist() == [1, 2, "unassigned"]
    assert found.matched["other"].tolist() == [2, 1]
    assert found.matched["customers"].tolist() == [3, 2]
    assert found.matched["share"].tolist() == [3 / 4, 2 / 3]
    assert found.matched["overlap"].tolist() == [3 / 5, 2 / 3]
    assert found.agreement == 6 / 8
    assert found.assigned_agreement == 5 / 6
    assert found.adjusted_rand == pytest.approx(_by_pairs(ONE, OTHER))
    assert found.assigned_adjusted_rand == pytest.approx(_by_pairs([1, 1, 1, 2, 2, 2], [2, 2, 2, 1, 1, 2]))
    (remark,) = found.remarks
    assert remark.text.startswith("1 customer is unassigned on one side only")
    assert "83% agree" in remark.text
    assert found.headline() == (
        f"hand (2 segments) against hand (2 segments): 75% of customers agree, adjusted Rand {found.adjusted_rand:.2f}"
    )


def _by_pairs(one: list[int], other: list[int]) -> float:
    """The adjusted Rand index by its definition, pair by pair."""
    pairs = list(combinations(range(len(one)), 2))
    in_one, in_other = ([codes[i] == codes[j] for i, j in pairs] for codes in (one, other))
    both = sum(a and b for a, b in zip(in_one, in_other, strict=True))
    chance = sum(in_one) * sum(in_other) / len(pairs)
    return (both - chance) / ((sum(in_one) + sum(in_other)) / 2 - chance)


@given(st.integers(4, 40), st.integers(1, 4), st.integers(1, 4), st.integers(0, 10_000))
def test_no_other_matching_puts_more_customers_together(n: int, many: int, others: int, seed: int) -> None:
    from itertools import permutations

    rng = np.random.default_rng(seed)
    one = np.unique(rng.integers(1, many + 1, size=n), return_inverse=True)[1] + 1
    other = np.unique(rng.integers(1, others + 1, size=n), return_inverse=True)[1] + 1
    found = gauger.compare(_seg(one.tolist()), _seg(other.tolist()))
    small, large = sorted((one, other), key=lambda codes: int(codes.max()))
    best = max(
        sum(int(((small == number) & (large == match)).sum()) for number, match in enumerate(order, 1))
        for order in permutations(range(1, int(large.max()) + 1), int(small.max()))
    )
    assert found.agreement == pytest.approx(best / n)
    assert found.remarks == ()


def test_numbers_and_rows_may_be_in_any_order() -> None:
    plain = gauger.compare(_seg(ONE, list("abcdefgh")), _seg(OTHER, list("abcdefgh")))
    order = np.random.default_rng(2).permutation(8)
    turned = _seg(np.array(OTHER)[order].tolist(), np.array(list("abcdefgh"))[order])
    pd.testing.assert_frame_equal(plain.crossing, gauger.compare(_seg(ONE, list("abcdefgh")), turned).crossing)
    swapped = [{0: 0, 1: 2, 2: 1}[code] for code in OTHER]
    renumbered = gauger.compare(_seg(ONE, list("abcdefgh")), _seg(swapped, list("abcdefgh")))
    assert renumbered.agreement == plain.agreement
    assert renumbered.adjusted_rand == pytest.approx(plain.adjusted_rand)
    assert renumbered.matched["other"].tolist() == [1, 2]


def test_a_segment_that_shares_nobody_matches_nobody() -> None:
    found = gauger.compare(_seg([1, 1, 2, 2, 3, 3]), _seg([1, 1, 1, 1, 2, 2]))
    assert found.matched["other"].isna().tolist() == [False, True, False]
    assert found.matched.loc[2, "customers"] == 0
    with_nobody = gauger.compare(_seg([1, 1, 2, 2]), _seg([0, 0, 0, 0]))
    assert with_nobody.agreement == 0.0
    assert np.isnan(with_nobody.assigned_agreement)
    assert with_nobody.remarks[0].text.endswith("No customer is in a segment on both sides.")
    assert with_nobody.crossing.columns.tolist() == ["unassigned"]


def test_strangers_and_no_segments_are_refused() -> None:
    with pytest.raises(SettingError, match="no customer is on both sides: the segments know 'a', the other side 'i'"):
        gauger.compare(_seg(ONE, list("abcdefgh")), _seg(OTHER, list("ijklmnop")))
    with pytest.raises(SettingError, match="neither side has a segment"):
        gauger.compare(_seg([0, 0, 0]), _seg([0, 0, 0]))


def test_customers_of_one_side_are_left_aside_counted_and_named() -> None:
    found = gauger.compare(_seg(ONE, list("abcdefgh")), _seg([*OTHER[:5], 1, 2, 1], list("abcdexyz")))
    assert (found.only_first.tolist(), found.only_second.tolist()) == (list("fgh"), list("xyz"))
    assert found.crossing.to_numpy().sum() == 5
    assert found.remarks[0].code == "customers-of-one-side"
    assert "3 customers are among these segments only" in found.remarks[0].text
    assert "3 customers are on the other side only" in found.remarks[0].text


def test_a_known_column_is_compared_by_its_values_and_gaps_are_unassigned() -> None:
    answers = pd.Series(["no", "no", "no", None, "yes", "yes", "no", None], index=list("abcdefgh"), name="answer")
    found = gauger.compare(_seg(ONE, list("abcdefgh")), answers)
    assert found.crossing.columns.tolist() == ["no", "yes", "unassigned"]
    assert found.crossing.to_numpy().tolist() == [[3, 0, 1], [1, 2, 0], [0, 0, 1]]
    assert found.matched["other"].tolist() == ["no", "yes"]
    assert found.agreement == 6 / 8
    assert found.shares.loc[2].tolist() == [1 / 3, 2 / 3, 0.0]
    assert found.other_shares["no"].tolist() == [3 / 4, 1 / 4, 0.0]
    assert found.customers["moved"].tolist() == [False, False, False, True, False, False, True, False]
    assert found.worth.empty


def test_a_column_of_numbers_may_hold_zero() -> None:
    counts = pd.Series([0, 0, 0, 0, 5, 5, 5, None], index=list("abcdefgh"), name="calls").astype("Int64")
    found = gauger.compare(_seg(ONE, list("abcdefgh")), counts)
    assert found.crossing.columns.tolist() == [0, 5, "unassigned"]
    assert found.agreement == 1.0
    assert found.customers["other"].tolist()[:7] == [0, 0, 0, 0, 5, 5, 5]


@pytest.mark.parametrize(
    ("other", "message"),
    [
        (pd.Series([None] * 8, index=list("abcdefgh"), name="answer", dtype=object), "'answer' has no value at all"),
        (pd.Series(range(200), index=range(200), name="age"), "'age' has 200 different values, more than the 100"),
        ([1, 2, 3], "not with list"),
    ],
)
def test_what_cannot_be_compared_is_refused(other: object, message: str) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.compare(_seg(ONE, list("abcdefgh")), other)


def test_assignments_in_a_table_are_compared_like_the_segmentation_they_came_from() -> None:
    one, other = _seg(ONE, list("abcdefgh")), _seg(OTHER, list("abcdefgh")).rename({2: "often"})
    by_table, by_seg = gauger.compare(one, other.assignments), gauger.compare(one, other)
    pd.testing.assert_frame_equal(by_table.crossing, by_seg.crossing)
    assert by_table.matched["other_name"].tolist() == ["often", "segment 1"]


@pytest.mark.slow
def test_worth_says_what_each_side_explains_and_how_well_it_comes_back(demo_segments: gauger.Segmentation) -> None:
    quadrants = segment_by_bands(demo_segments.features, {"visits": 2, "spend_mean": 2})
    worth = gauger.compare(demo_segments, quadrants, resamples=5).worth
    assert worth["segments"].tolist() == [6, 4]
    np.testing.assert_allclose(worth["explained"], [demo_segments.explained, quadrants.explained])
    assert worth["kmeans_explained"].iloc[1] > worth["explained"].iloc[1]
    assert worth["weakest"].iloc[0] > 0.85
    answer = gauger.compare(demo_segments, quadrants, resamples=5).answer
    assert answer.startswith("k-means explains")
    assert "bands of visits and spend_mean explains" in answer


def test_assignments_from_a_file_are_the_segmentation_again() -> None:
    seg = _seg(ONE, list("abcdefgh")).rename({2: "often"})
    shuffled = seg.assignments.iloc[::-1]
    again = segmentation_from_assignments(seg.features, shuffled, method="file")
    assert (again.codes == seg.codes).all()
    assert again.names == seg.names
    pd.testing.assert_frame_equal(again.centres, seg.centres)


@pytest.mark.parametrize(
    ("change", "error", "message"),
    [
        (lambda table: table.drop(columns="segment"), UnknownColumnError, "no column 'segment'"),
        (lambda table: table.iloc[:5], SettingError, r"3 customers have features and are not in file"),
        (lambda table: pd.concat([table, table.iloc[:1]]), KeyColumnError, "repeats in data row 9"),
        (lambda table: table.assign(segment="x"), SettingError, "must hold whole numbers"),
        (lambda table: table.assign(segment=[1, 1, 3, 3, 3, 3, 0, 0]), SettingError, "without a gap"),
    ],
)
def test_assignments_that_do_not_fit_are_refused(change, error: type[Exception], message: str) -> None:
    seg = _seg(ONE, list("abcdefgh"))
    with pytest.raises(error, match=message):
        segmentation_from_assignments(seg.features, change(seg.assignments), method="file")


def test_who_is_among_these_segments_only_and_who_on_the_other_side() -> None:
    found = gauger.compare(_seg([1, 1, 2, 2], list("abcd")), _seg([1, 2, 2], list("bcx")))
    assert (found.only_first.tolist(), found.only_second.tolist()) == (["a", "d"], ["x"])
    (remark,) = found.remarks
    assert remark.text.startswith("2 customers are among these segments only and 1 customer is on the other side only:")


def test_the_unassigned_of_either_side_are_counted_and_their_agreement_is_of_the_others() -> None:
    for one, other in (([1, 1, 2, 0], [1, 1, 2, 2]), ([1, 1, 2, 2], [1, 1, 2, 0])):
        (remark,) = gauger.compare(_seg(one), _seg(other)).remarks
        assert remark.text == (
            "1 customer is unassigned on one side only. Among the customers that both put into a segment, 100% agree "
            "(adjusted Rand 1.00)."
        )
    (nobody,) = gauger.compare(_seg([1, 0]), _seg([0, 1])).remarks
    assert nobody.text == "2 customers are unassigned on one side only. No customer is in a segment on both sides."


def test_a_segment_without_a_match_shares_nobody() -> None:
    found = gauger.compare(_seg([1, 1, 2, 2, 3]), _seg([1, 1, 2, 2, 0])).matched
    assert found.loc[3, ["customers", "share", "overlap"]].tolist() == [0, 0.0, 0.0]
    assert found["other"].tolist()[:2] == [1, 2]
    assert pd.isna(found.loc[3, "other"])
