"""Parts of a profile that hang on a rule: indices, totals, what leads, and segments in words."""

from dataclasses import replace

import numpy as np
import pandas as pd
import pytest
from scipy import stats

import gauger
from gauger.profiling.assembling import _clear_of_zero
from gauger.profiling.assignment_files import checked_assignments
from gauger.profiling.closeness import sample_of
from gauger.profiling.components import components_of
from gauger.profiling.conditions import _LONGEST, rows_that_meet
from gauger.profiling.drivers import _correlation, associations_of, circular
from gauger.profiling.exemplars import exemplars_of
from gauger.profiling.known_groups import Association
from gauger.profiling.level_tables import levels_by_group
from gauger.profiling.worth import worth_in_words
from gauger.segmentation import segmentation_from_codes
from gauger.wording import CUSTOMER


def _profile(codes: list[int], features: list[str] | None = None, **columns: object) -> gauger.Profile:
    table = pd.DataFrame({"who": [f"c{at}" for at in range(len(codes))], **columns})
    prepared = gauger.prepare(table, key="who", features=features, scale="none")
    return gauger.profile(segmentation_from_codes(prepared, np.array(codes), method="hand"), table)


@pytest.mark.parametrize(
    ("mean", "spread", "least", "clear"),
    [
        (2.0, 1.0, 0.0, True),
        (0.01, 9.0, 0.0, True),
        (0.0, 1.0, 0.0, False),
        (-2.0, 1.0, -5.0, False),
        (2.0, 4.0, -1.0, True),
        (1.99, 4.0, -1.0, False),
    ],
)
def test_an_index_needs_a_mean_clear_of_zero(mean: float, spread: float, least: float, clear: bool) -> None:
    tables = [pd.DataFrame({"x": [one]}, index=["everyone"]) for one in (mean, spread)]
    assert _clear_of_zero(*tables, {"x": least}).tolist() == [clear]


def test_a_measure_without_an_index_has_differences() -> None:
    found = _profile([1, 1, 2, 2], visits=[1.0, 3.0, 7.0, 9.0], balance=[-4.0, -2.0, 2.0, 4.2])
    assert found.index["visits"].tolist() == pytest.approx([40.0, 160.0, 100.0])
    assert found.index["balance"].isna().all()
    assert found.differences.columns.tolist() == ["balance"]
    assert found.differences["balance"].tolist() == pytest.approx([-3.05, 3.05, 0.0])


def test_shares_of_totals_add_up_and_are_told() -> None:
    found = _profile([1, 1, 2, 0], ["visits"], visits=[1.0, 2.0, 9.0, 4.0], spend_total=[10.0, np.nan, 70.0, 20.0])
    assert found.sizes["share_of_spend_total"].tolist() == pytest.approx([0.1, 0.7, 0.2, 1.0])
    assert found.sizes["share"].tolist() == [0.5, 0.25, 0.25, 1.0]
    assert "50% of all and 10% of spend total" in found.in_words(1)
    nothing = _profile([1, 1, 2, 2], ["visits"], visits=[1.0, 2.0, 9.0, 4.0], spend_total=[0.0, 0.0, 1.0, -1.0])
    assert nothing.sizes["share_of_spend_total"].isna().all()


def test_what_a_segment_is_like_is_told_by_the_features_it_was_built_on() -> None:
    """Age differs more, but segments were built on visits alone."""
    found = _profile(
        [1] * 4 + [2] * 4, ["visits"], visits=[1.0, 2, 3, 4, 5, 6, 7, 8], age=[20.0, 21, 20, 21, 70, 71, 70, 71]
    )
    assert "Typically visits 2.50 (everyone 4.50)." in found.in_words(1)
    assert "age" not in found.in_words(1)
    given = pd.DataFrame({"who": range(8), "segment": [1] * 4 + [2] * 4})
    table = pd.DataFrame(
        {"who": range(8), "visits": [1.0, 2, 3, 4, 5, 6, 7, 8], "age": [20.0, 21, 20, 21, 70, 71, 70, 71]}
    )
    by_file = gauger.profile_assignments(given, table, key="who")
    assert "Typically age 20.5 (everyone 45.5), visits 2.50 (everyone 4.50)." in by_file.in_words(1)
    with pytest.raises(gauger.errors.SettingError, match="there is no segment 3: they run from 1 to 2"):
        found.in_words(3)


@pytest.mark.parametrize(("north", "told"), [(15, True), (14, False)])
def test_a_level_is_told_from_fifteen_points_more_than_everyone(north: int, told: bool) -> None:
    """Of 100 customers half are in each segment, and all those in the north in the first: 30 % against 15 %."""
    found = _profile(
        [1] * 50 + [2] * 50, ["visits"], visits=np.repeat([1.0, 9.0], 50), area=["n"] * north + ["s"] * (100 - north)
    )
    assert ("More often area n 30% (everyone 15%)" in found.in_words(1)) is told
    assert ("More often area n" in found.in_words(1)) is told


@pytest.mark.parametrize(("known", "told"), [(30, True), (29, False)])
def test_levels_of_few_known_customers_are_not_told(known: int, told: bool) -> None:
    area = pd.Series(["n"] * known + [None] * (40 - known) + ["s"] * 40)
    found = _profile([1] * 40 + [2] * 40, ["visits"], visits=np.repeat([1.0, 9.0], 40), area=area)
    assert ("More often area n" in found.in_words(1)) is told


def test_which_figure_leads_and_why() -> None:
    tail = np.exp(np.linspace(0.0, 8.0, 40))
    found = _profile([1] * 20 + [2] * 20, even=np.arange(40.0), paid=tail, owed=-tail).measures
    assert found["leads"].to_dict() == {"even": "mean", "paid": "median", "owed": "median"}
    assert found.loc["even", "why"] == "no long tail"
    assert "a long tail of large values moves the mean" in found.loc["paid", "why"]
    assert "a long tail of small values moves the mean" in found.loc["owed", "why"]
    assert found["used"].tolist() == [True, True, True]


@pytest.mark.parametrize(
    ("other", "r"),
    [
        ([2.0, 4.0, 6.0, 9.0], 0.9944),
        ([-2.0, -4.0, -6.0, -9.0], -0.9944),
        ([5.0, 5.0, 5.0, 5.0], 0.0),
        ([np.nan, 4.0, 6.0, 9.0], 0.9934),
        ([np.nan] * 4, 0.0),
        ([np.nan, np.nan, np.nan, 3.0], 0.0),
    ],
)
@pytest.mark.filterwarnings("ignore:Mean of empty slice")
def test_correlations_are_of_the_rows_that_have_both(other: list[float], r: float) -> None:
    one = np.array([1.0, 2.0, 3.0, 4.0])
    assert _correlation(one, np.array(other)) == pytest.approx(r, abs=5e-5)


def test_a_column_repeats_a_feature_from_a_correlation_of_nine_tenths_either_way() -> None:
    x = np.array([-1.0, -1.0, 1.0, 1.0])
    across = np.array([1.0, -1.0, 1.0, -1.0])
    columns = {
        "visits": x,
        "just": 0.901 * x + np.sqrt(1.0 - 0.901**2) * across,
        "not": 0.899 * x + np.sqrt(1.0 - 0.899**2) * across,
        "against": -0.901 * x + np.sqrt(1.0 - 0.901**2) * across,
    }
    assert circular(columns, ["visits"]) == {"just": "visits", "against": "visits"}
    assert circular(columns, ["gone"]) == {}


def test_associations_are_worked_by_hand() -> None:
    """Ten of twelve in the north are in segment 1, two of eight in the south; the unassigned are no group."""
    area = pd.Series(["n"] * 12 + ["s"] * 8 + ["n"] * 5)
    codes = np.array([1] * 10 + [2] * 2 + [1] * 2 + [2] * 6 + [0] * 5)
    found = associations_of({"area": levels_by_group(area, codes, 2, flag=False, steps=False)}, lambda _: False)
    expected = np.array([[12 * 12, 12 * 8], [8 * 12, 8 * 8]]) / 20
    statistic = ((np.array([[10, 2], [2, 6]]) - expected) ** 2 / expected).sum()
    assert found.loc["area", "chi_square"] == pytest.approx(statistic)
    assert found.loc["area", "cramers_v"] == pytest.approx(np.sqrt((statistic / 20 - 1 / 19) / (1 - 1 / 19)))
    one_level = associations_of(
        {"area": levels_by_group(area[:1].reindex(range(25), fill_value="n"), codes, 2, flag=False, steps=False)},
        lambda _: False,
    )
    assert one_level.loc["area", "cramers_v"] == 0.0
    assert one_level.loc["area", ["chi_square", "p"]].isna().all()


def test_worth_is_told_in_words_with_what_is_known_of_stability() -> None:
    table = pd.DataFrame(
        {"segments": [3.0, 1.0], "explained": [0.61, 0.4], "kmeans_explained": [0.7, 0.5], "stability": [0.9, 0.75]},
        index=["k-means", "bands"],
    )
    text = worth_in_words(table)
    assert text == (
        "k-means explains 61% of the variance with 3 segments (k-means with as many 70%); bands explains 40% of the "
        "variance with 1 segment (k-means with as many 50%). On bootstrap samples segments come back with an overlap "
        "of 0.90 and 0.75 (1: the same)."
    )
    assert worth_in_words(table.assign(stability=[0.9, np.nan])).endswith("with as many 50%).")
    assert worth_in_words(table[:0]) == ""


def test_an_index_of_a_measure_that_is_never_negative_needs_no_spread() -> None:
    found = _profile([1, 1, 2, 2], visits=[1.0, 2.0, 8.0, 9.0], rare=[0.0, 0.0, 0.0, 1.0], odd=[-0.1, 1.0, 1.0, 1.0])
    assert found.index["rare"].tolist() == pytest.approx([0.0, 200.0, 100.0])
    assert found.index["odd"].tolist() == pytest.approx([45 / 0.725, 100 / 0.725, 100.0])
    low = _profile([1, 1, 2, 2], visits=[1.0, 2.0, 8.0, 9.0], odd=[-3.0, 0.0, 0.0, 4.0])
    assert low.index["odd"].isna().all()


def test_a_test_of_variance_needs_a_degree_of_freedom_within() -> None:
    """Three customers in two segments leave one."""
    found = _profile([1, 1, 2], visits=[1.0, 2.0, 8.0], age=[1.0, 5.0, 2.0])
    assert np.isfinite(found.drivers.loc["age", "F"])
    two = _profile([1, 2], visits=[1.0, 9.0], age=[1.0, 5.0])
    assert np.isnan(two.drivers.loc["age", "F"])
    assert two.drivers.loc["age", "eta_squared"] == 1.0


def test_three_measures_and_three_levels_are_told() -> None:
    rng = np.random.default_rng(0)
    codes = np.repeat([1, 2], 40)
    columns = {f"f{at}": codes * (5.0 - at) + rng.normal(size=80) for at in range(4)}
    levels = {f"c{at}": np.where(codes == 1, "x", "y") for at in range(4)}
    told = _profile(codes.tolist(), list(columns), **columns, **levels).in_words(1)
    assert all(f"f{at} " in told for at in range(3))
    assert "f3 " not in told.split("In a rule")[0]
    assert sum(f"c{at} x" in told for at in range(4)) == 3


def test_the_sums_of_negative_and_of_small_totals() -> None:
    small = _profile([1, 2], ["visits"], visits=[1.0, 9.0], spend_total=[0.2, 0.3])
    assert small.sizes["share_of_spend_total"].tolist() == pytest.approx([0.4, 0.6, 1.0])


def test_components_point_to_the_larger_values_and_place_centres_with_their_customers() -> None:
    """Along the diagonal of two features: the first component has nearly all the variance."""
    x = np.array([10.0, 11.0, 20.0, 21.0])
    features = gauger.prepare(
        pd.DataFrame({"who": list("abcd"), "x": x, "y": 2.0 * x + [0.1, -0.1, 0.1, -0.1]}), key="who", scale="none"
    )
    seg = segmentation_from_codes(features, np.array([1, 1, 2, 2]), method="hand")
    found = components_of(seg)
    assert found.shares[0] > 0.999
    assert found.shares.sum() == pytest.approx(1.0)
    assert (found.directions["first"] > 0.99).all()
    for at, number in enumerate((1, 2)):
        np.testing.assert_allclose(found.centres[at], found.points[seg.codes == number].mean(axis=0), atol=1e-12)
    assert found.points.mean(axis=0) == pytest.approx([0.0, 0.0], abs=1e-12)
    assert (found.placed, found.placed_in_all) == (1.0, 1.0)
    assert found.points[2, 0] > 0.0 > found.points[0, 0]


def test_the_typical_and_the_least_typical_are_three_each_and_come_once() -> None:
    """Around a centre of 0: of seven customers the middle one is neither; of five two are left for the far end."""
    for values, near, far in (
        ([0.0, 1.0, -2.0, 3.0, -4.0, 5.0, -6.0, 7.0, -4.0], 3, 3),
        ([0.0, 1.0, -2.0, 3.0, -2.0], 3, 2),
        ([0.0, 1.0, -1.0], 3, 0),
        ([0.0], 1, 0),
    ):
        features = gauger.prepare(
            pd.DataFrame({"who": [f"c{at}" for at in range(len(values))], "x": values}), key="who", scale="none"
        )
        seg = segmentation_from_codes(features, np.ones(len(values), dtype=np.int32), method="hand")
        shown = exemplars_of(seg)
        kinds = shown["kind"].tolist()
        assert (kinds.count(kinds[0]), len(kinds) - kinds.count(kinds[0])) == (near, far)
        assert shown["who"].is_unique
        apart = np.sort(seg.distances)
        assert shown["distance"].tolist() == pytest.approx([*apart[:near], *apart[::-1][:far]])


def test_segments_from_a_file_are_taken_for_k_means_only_where_all_are_nearest_their_own() -> None:
    table = pd.DataFrame({"who": list("abcdef"), "x": [0.0, 1.0, 2.0, 10.0, 11.0, 12.0]})
    features = gauger.prepare(table, key="who", scale="none")
    own = table[["who"]].assign(segment=[1, 1, 1, 2, 2, 2])
    assert gauger.segmentation_from_assignments(features, own, method="a file").refit is not None
    odd = own.assign(segment=[1, 1, 2, 2, 2, 1])
    assert gauger.segmentation_from_assignments(features, odd, method="a file").refit is None


@pytest.mark.parametrize(("more", "read"), [(0, True), (1, False)])
def test_a_condition_has_a_longest_length(more: int, read: bool) -> None:
    table, condition = pd.DataFrame({"visits": [0.0, 2.0]}), "visits > 1".ljust(_LONGEST + more)
    if read:
        assert rows_that_meet(table, condition).tolist() == [False, True]
    else:
        with pytest.raises(gauger.errors.SettingError, match="characters, more than"):
            rows_that_meet(table, condition)


@pytest.mark.parametrize(
    ("left", "right", "words"),
    [
        ("visits", "area", "'visits' holds numbers and 'area' text"),
        ("area", "joined", "'area' holds text and 'joined' dates"),
        ("joined", "visits", "'joined' holds dates and 'visits' numbers"),
    ],
)
def test_columns_of_two_kinds_are_not_compared(left: str, right: str, words: str) -> None:
    table = pd.DataFrame({"visits": [1.0], "area": ["n"], "joined": [pd.Timestamp("2025-01-01")]})
    with pytest.raises(gauger.errors.ColumnValuesError, match=words):
        rows_that_meet(table, f"{left} == {right}")
    assert rows_that_meet(table, f"{left} == {left}").tolist() == [True]


def test_a_guess_is_told_with_what_it_would_be_without() -> None:
    told = Association(100, 0.5, 0.4, 0.6, 0.8, 0.6)
    assert told.in_words("area") == ("From the segment alone one would guess area right for 80%, without it for 60%.")
    same = Association(100, 0.5, 0.4, 0.6, 0.6, 0.597)
    assert same.in_words("area").endswith("right for 60%, no better than without it.")


def test_a_segment_may_be_found_by_a_number_in_text_unless_a_name_says_so() -> None:
    table = pd.DataFrame({"who": list("abc"), "x": [0.0, 1.0, 9.0]})
    seg = segmentation_from_codes(gauger.prepare(table, key="who"), np.array([1, 1, 2]), method="hand")
    assert gauger.members(seg, segment="2")["who"].tolist() == ["c"]
    assert gauger.members(seg.rename({1: "often"}), segment="often")["who"].tolist() == ["a", "b"]
    for wrong in ("3", "x", True):
        with pytest.raises(gauger.errors.SettingError, match="there is no segment"):
            gauger.members(seg, segment=wrong)


@pytest.mark.parametrize(
    ("key", "segments", "error", "words"),
    [
        ("segment", [1, 1, 2, 2], "KeyColumnError", "segment"),
        ("who", [1, 1, 2, 1.5], "SettingError", "whole numbers"),
        ("who", [1, 1, 2, -1], "SettingError", "whole numbers"),
        ("who", [1, 1, 2, None], "SettingError", "whole numbers"),
        ("who", [1, 1, 2, "b"], "SettingError", "whole numbers"),
    ],
)
def test_assignments_that_cannot_be_read_are_refused(key: str, segments: list[object], error: str, words: str) -> None:
    assignments = pd.DataFrame({"who": list("abcd"), "segment": pd.Series(segments, dtype=object)})
    with pytest.raises(getattr(gauger.errors, error), match=words):
        checked_assignments(assignments, key)


def test_infinite_values_are_left_out_and_counted() -> None:
    found = _profile([1, 1, 2, 2], ["visits"], visits=[1.0, 2.0, 8.0, 9.0], spend=[5.0, np.inf, 7.0, -np.inf])
    assert found.means.loc[[1, 2], "spend"].tolist() == [5.0, 7.0]
    (remark,) = [one for one in found.remarks if one.code == "infinite-left-out"]
    assert remark.text == "infinite values were left out of spend (2 customers)."
    assert remark.features == ("spend",)
    assert not [one for one in _profile([1, 2], visits=[1.0, 2.0]).remarks if one.code == "infinite-left-out"]


def test_two_segments_are_compared_by_rank_where_a_measure_has_a_long_tail() -> None:
    spend = [1.0, 2.0, 3.0, 400.0, 5.0, 6.0, 7.0, 8.0, 9.0]
    codes = [1, 1, 1, 1, 1, 2, 2, 2, 2]
    drivers = _profile(codes, ["visits"], visits=[*range(9)], spend=spend).drivers
    by_rank = stats.kruskal(spend[:5], spend[5:])
    assert drivers.loc["spend", ["rank_h", "rank_p"]].tolist() == pytest.approx([by_rank.statistic, by_rank.pvalue])


def test_counts_are_few_or_many_and_other_measures_low_or_high() -> None:
    names = _profile([1] * 6 + [2] * 6, ["bags"], bags=[1, 2, 3, 1, 2, 3, 7, 8, 9, 7, 8, 9]).suggested_names
    assert names == {1: "few bags", 2: "many bags"}
    names = _profile([1] * 6 + [2] * 6, ["height"], height=np.linspace(1.5, 9.5, 12) ** 2).suggested_names
    assert names == {1: "low height", 2: "high height"}


def test_at_most_twenty_thousand_customers_are_looked_at_and_always_the_same() -> None:
    assert sample_of(20_000).tolist() == [*range(20_000)]
    some = sample_of(20_001)
    assert len(np.unique(some)) == len(some) == 20_000
    assert (some == sample_of(20_001)).all()
    assert (np.diff(some) > 0).all()


def test_of_a_sample_everyone_is_profiled_by_their_place_unless_a_table_is_given() -> None:
    table = pd.DataFrame({"who": list("abcd"), "visits": [1.0, 2.0, 8.0, 9.0]})
    seg = segmentation_from_codes(gauger.prepare(table, key="who"), np.array([1, 1, 2, 2]), method="hand")
    asked: list[object] = []

    class Place:
        sizes, noun = np.array([3, 2]), CUSTOMER

        def profiled(self, names: object) -> str | None:
            asked.append(names)
            return "of everyone" if len(asked) == 1 else None

    seg = replace(seg, everyone=Place())
    assert gauger.profile(seg) == "of everyone"
    assert gauger.profile(seg).means.loc[1, "visits"] == 1.5
    assert gauger.profile(seg, table).means.loc[2, "visits"] == 8.5
    assert asked == [seg.names, seg.names]
