"""Profiles against hand-worked figures, by a segmentation and by an assignments file."""

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import KeyColumnError, SettingError, UnknownColumnError
from gauger.segmentation import segmentation_from_codes

TABLE = pd.DataFrame(
    {
        "who": list("abcde"),
        "visits": [1.0, 3.0, 10.0, 12.0, 50.0],
        "age": [20, 30, 40, 60, 70],
        "joined_no": [7, 9, 31, 45, 88],
        "area": ["n", "s", "n", "s", "n"],
    }
)


@pytest.fixture
def seg() -> gauger.Segmentation:
    features = gauger.prepare(TABLE, key="who", features=["visits"])
    return segmentation_from_codes(features, np.array([1, 1, 2, 2, 0]), method="hand")


def test_the_figures_are_those_worked_by_hand(seg: gauger.Segmentation) -> None:
    profile = gauger.profile(seg)
    assert profile.sizes["customers"].to_dict() == {1: 2, 2: 2, "unassigned": 1, "everyone": 5}
    assert profile.sizes["share"].tolist() == [0.4, 0.4, 0.2, 1.0]
    assert profile.means["visits"].to_dict() == {1: 2.0, 2: 11.0, "unassigned": 50.0, "everyone": 15.2}
    assert profile.medians["visits"].to_dict() == {1: 2.0, 2: 11.0, "unassigned": 50.0, "everyone": 10.0}
    np.testing.assert_allclose(profile.index["visits"], [200 / 15.2, 1100 / 15.2, 5000 / 15.2, 100.0])


def test_a_table_adds_its_measures_in_any_order_of_rows(seg: gauger.Segmentation) -> None:
    profile = gauger.profile(seg, TABLE.iloc[::-1])
    assert profile.means.columns.tolist() == ["visits", "age"]
    assert profile.means["age"].tolist() == [25.0, 50.0, 70.0, 44.0]


def test_customers_missing_on_either_side_are_counted(seg: gauger.Segmentation) -> None:
    other = pd.DataFrame({"who": ["b", "c", "x", "y", "z"], "age": [30.5, 40, 1, 2, 3]})
    profile = gauger.profile(seg, other)
    assert profile.means["age"].iloc[:2].tolist() == [30.5, 40.0]
    assert [remark.code for remark in profile.remarks] == [
        "customers-not-in-table",
        "customers-not-segmented",
        "significance",
    ]
    assert profile.remarks[0].text.startswith("3 segmented customers are not in the table")
    assert profile.remarks[1].text.startswith("3 customers of the table are in no segment")


def test_an_index_against_nothing_is_undefined(seg: gauger.Segmentation) -> None:
    profile = gauger.profile(seg, TABLE.assign(balance=[-1.0, -2.5, 1.0, 1.0, 0.5]))
    assert profile.index["balance"].isna().all()


def test_names_given_to_segments_are_in_the_sizes(seg: gauger.Segmentation) -> None:
    profile = gauger.profile(seg.rename({2: "often"}))
    assert profile.sizes["name"].tolist() == ["segment 1", "often", "unassigned", "everyone"]


def test_an_assignments_file_gives_the_same_profile(seg: gauger.Segmentation) -> None:
    renamed = seg.rename({2: "often"})
    by_file = gauger.profile_assignments(renamed.assignments, TABLE, key="who")
    by_seg = gauger.profile(renamed, TABLE)
    pd.testing.assert_frame_equal(by_file.sizes, by_seg.sizes)
    pd.testing.assert_frame_equal(by_file.means, by_seg.means)
    pd.testing.assert_frame_equal(by_file.medians, by_seg.medians)


def test_tables_are_ready_to_be_written(seg: gauger.Segmentation) -> None:
    tables = gauger.profile(seg).tables
    assert list(tables) == [
        *("sizes", "means", "medians", "lower_quartiles", "upper_quartiles", "standard_deviations", "index", "scores"),
        *("measures", "categories", "category_index", "known", "drivers", "associations", "rules", "overlap"),
        *("exemplars", "names"),
    ]
    by_segment = ("sizes", "means", "index", "rules", "overlap", "exemplars", "names")
    assert all(tables[name].columns[0] == "segment" for name in by_segment)


@pytest.mark.slow
def test_renumbering_segments_changes_only_the_order(demo_segments: gauger.Segmentation, members: pd.DataFrame) -> None:
    turned = segmentation_from_codes(
        demo_segments.features, demo_segments.count + 1 - demo_segments.codes, method="turned"
    )
    one, other = gauger.profile(demo_segments, members).means, gauger.profile(turned, members).means
    np.testing.assert_allclose(one.iloc[:6].to_numpy(float)[::-1], other.iloc[:6].to_numpy(float))


def test_means_agree_with_a_plain_loop(demo_segments: gauger.Segmentation, members: pd.DataFrame) -> None:
    profile = gauger.profile(demo_segments, members)
    ages = members.set_index("member_id")["age"].astype(float)
    for number in demo_segments.numbers:
        keys = demo_segments.features.keys[demo_segments.codes == number]
        assert profile.means.loc[number, "age"] == pytest.approx(np.nanmean(ages[keys].to_numpy()))


@pytest.mark.parametrize(
    ("table", "error", "message"),
    [
        (TABLE.rename(columns={"who": "whom"}), UnknownColumnError, "did you mean 'whom'"),
        (pd.concat([TABLE, TABLE]), KeyColumnError, "repeats in data rows 6, 7 and 8"),
        (TABLE.assign(who=list("vwxyz")), SettingError, "no who of the table is among the segmented customers"),
    ],
)
def test_a_table_that_does_not_fit_is_refused(
    seg: gauger.Segmentation, table: pd.DataFrame, error: type[Exception], message: str
) -> None:
    with pytest.raises(error, match=message):
        gauger.profile(seg, table)


@pytest.mark.parametrize(
    ("assignments", "error", "message"),
    [
        (pd.DataFrame({"who": ["a"], "segmnt": [1]}), UnknownColumnError, "did you mean 'segmnt'"),
        (pd.DataFrame({"who": ["a"], "segment": ["one"]}), SettingError, "must hold whole numbers"),
        (pd.DataFrame({"who": ["a", "a"], "segment": [1, 2]}), KeyColumnError, "repeats in data row 2"),
    ],
)
def test_assignments_that_are_none_are_refused(assignments: pd.DataFrame, error: type[Exception], message: str) -> None:
    with pytest.raises(error, match=message):
        gauger.profile_assignments(assignments, TABLE, key="who")
