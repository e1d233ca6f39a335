"""Who moved between two studies: numbers that are matched, keys of two kinds, and whose table a value is in."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import NoGroupsError, SettingError
from gauger.study.finding import counts_around, counts_asked, find_segments
from gauger.study.movement import _numbers, migration_between
from gauger.study.plan_parts import BandsPart, CountsPart, TreePart

VISITS = np.repeat([1.0, 50.0, 100.0], [20, 12, 8]) + np.arange(40) % 4
TABLE = pd.DataFrame({"who": [f"c{at:02}" for at in range(40)], "visits": VISITS, "spend": np.arange(40) * 1.0})


def _saved(folder: Path, table: pd.DataFrame, count: int = 3, **names: dict[int, str]) -> Path:
    source = gauger.write_table(table, folder.with_suffix(".csv"))
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits"], scale="none"), count)
    return gauger.save_study(seg.rename(names.get("names", {})), folder, source=source).folder


@pytest.mark.parametrize(
    ("matched", "last", "numbers"),
    [
        ({1: 2, 2: 1}, 2, {1: 2, 2: 1}),
        ({1: 3}, 2, {1: 3, 2: 1}),
        ({2: 1, 0: 0}, 3, {1: 2, 2: 1, 3: 3}),
        ({0: 2, 1: 0}, 2, {1: 1, 2: 2}),
        ({}, 2, {1: 1, 2: 2}),
        ({1: 1, 2: 2, 3: 3}, 3, {1: 1, 2: 2, 3: 3}),
    ],
)
def test_later_segments_take_the_numbers_of_their_matches_and_others_the_next_free(
    matched: dict[int, int], last: int, numbers: dict[int, int]
) -> None:
    assert _numbers(matched, last) == numbers


def test_studies_that_were_found_apart_are_matched_by_their_customers(tmp_path: Path) -> None:
    """Numbers go by size: once most of the frequent visitors are gone, others have theirs."""
    first = _saved(tmp_path / "spring", TABLE)
    second = _saved(tmp_path / "summer", TABLE[14:])
    found = migration_between(first, second)
    assert found.moved == 0.0
    assert found.crossing.to_numpy().tolist() == [[6, 0, 0], [0, 12, 0], [0, 0, 8]]
    assert found.remarks[0].code == "segments-matched"
    assert "1 as 2, 2 as 3 and 3 as 1" in found.remarks[0].text
    assert len(found.only_first) == 14


@pytest.mark.slow
def test_names_follow_the_numbers_unless_they_are_given(tmp_path: Path) -> None:
    first = _saved(tmp_path / "spring", TABLE)
    second = _saved(tmp_path / "summer", TABLE[14:], names={1: "often"})
    assert migration_between(first, second).names == {1: "segment 1", 2: "segment 2", 3: "segment 3"}
    third = _saved(tmp_path / "autumn", TABLE[20:], 2, names={1: "often"})
    assert migration_between(third, third).names == {1: "often", 2: "segment 2"}


def test_studies_with_the_same_numbers_are_left_as_they_are(tmp_path: Path) -> None:
    first, second = _saved(tmp_path / "spring", TABLE), _saved(tmp_path / "summer", TABLE[2:])
    found = migration_between(first, second)
    assert "segments-matched" not in [one.code for one in found.remarks]
    assert found.crossing.to_numpy().trace() == 38


def test_files_of_assignments_are_taken_by_their_numbers(tmp_path: Path) -> None:
    before = gauger.write_table(pd.DataFrame({"who": list("abc"), "segment": [1, 1, 2]}), tmp_path / "a.csv")
    after = gauger.write_table(pd.DataFrame({"who": list("abc"), "segment": [2, 2, 1]}), tmp_path / "b.csv")
    assert migration_between(before, after, key="who").moved == 1.0
    with pytest.raises(SettingError, match="say which column identifies a customer"):
        migration_between(before, after)
    with pytest.raises(SettingError, match="say which table has the value"):
        migration_between(before, after, key="who", value="spend")


def test_keys_as_numbers_and_as_text_are_the_same_customers(tmp_path: Path) -> None:
    numbers = gauger.write_table(pd.DataFrame({"who": [7, 8], "segment": [1, 2]}), tmp_path / "a.parquet")
    text = gauger.write_table(pd.DataFrame({"who": ["7", "8"], "segment": [1, 1]}), tmp_path / "b.parquet")
    for first, second in ((numbers, text), (text, numbers)):
        assert migration_between(first, second, key="who").moved == 0.5


def test_a_value_is_the_later_studys_or_of_a_table_that_is_named(tmp_path: Path) -> None:
    first = _saved(tmp_path / "spring", TABLE)
    second = _saved(tmp_path / "summer", TABLE.assign(spend=1.0))
    assert migration_between(first, second, value="spend").value.to_numpy().sum() == 40.0
    other = gauger.write_table(TABLE.assign(worth=2.0), tmp_path / "worth.csv")
    assert migration_between(first, second, value="worth", table=other).value.to_numpy().sum() == 80.0
    twice = gauger.write_table(pd.concat([TABLE, TABLE[:1]]), tmp_path / "twice.csv")
    with pytest.raises(gauger.errors.KeyColumnError, match="repeats"):
        migration_between(first, second, value="spend", table=twice)


@pytest.mark.parametrize(
    ("lowest", "highest", "count", "tried"),
    [(1, 10, 6, range(1, 11)), (4, 5, 6, range(4, 8)), (4, 5, 3, range(2, 6)), (2, 3, 1, range(1, 4))],
)
def test_counts_are_stretched_around_the_count_that_was_taken(
    lowest: int, highest: int, count: int, tried: range
) -> None:
    features = gauger.prepare(TABLE, key="who", features=["spend"])
    wanted = CountsPart(lowest=lowest, highest=highest)
    assert counts_around(wanted, features, count) == tried
    assert counts_asked(wanted, features) == range(lowest, highest + 1)


def test_no_more_counts_are_tried_than_customers_differ() -> None:
    features = gauger.prepare(TABLE.assign(spend=np.arange(40) % 3), key="who", features=["spend"])
    assert counts_asked(CountsPart(lowest=2, highest=9), features) == range(2, 4)
    assert counts_around(CountsPart(lowest=2, highest=9), features, 3) == range(2, 4)


def test_bands_nobody_named_are_halves() -> None:
    features = gauger.prepare(TABLE, key="who", features=["visits", "spend"])
    found = find_segments(features, BandsPart(method="bands"))
    assert found.seg.count <= 4
    assert {name.count(" ") >= 1 for name in found.seg.names.values()} == {False, True}
    assert found.count_study is None


@pytest.mark.slow
@pytest.mark.parametrize(("wanted", "count"), [({"count": 4}, 4), ({"height": 60.0}, 2), ({}, 3)])
def test_a_tree_is_cut_at_the_count_or_the_height_or_as_advised(wanted: dict[str, float], count: int) -> None:
    rng = np.random.default_rng(3)
    table = TABLE.assign(visits=np.arange(40) % 3 * 50.0 + rng.normal(0.0, 3.0, 40))
    features = gauger.prepare(table, key="who", features=["visits"], scale="none")
    found = find_segments(features, TreePart(method="tree", linkage="average", **wanted))
    assert found.seg.count == count
    assert list(found.count_study.table.index) == list(range(1, 11))
    assert found.tree is not None


@pytest.mark.slow
def test_a_tree_of_one_cloud_is_not_cut_as_advised() -> None:
    features = gauger.prepare(TABLE, key="who", features=["visits"], scale="none")
    with pytest.raises(NoGroupsError, match="no groups were found: no structure"):
        find_segments(features, TreePart(method="tree", linkage="average"))


def test_segments_that_cannot_be_made_again_are_refused() -> None:
    features = gauger.prepare(TABLE, key="who", features=["visits"])
    with pytest.raises(SettingError, match="cannot be made again: by hand"):
        find_segments(features, TreePart(method="tree", not_repeatable="by hand"))


def test_the_unassigned_of_a_later_study_stay_unassigned_when_numbers_are_matched(tmp_path: Path) -> None:
    def saved(name: str, table: pd.DataFrame) -> Path:
        features = gauger.prepare(table, key="who", features=["visits"], scale="none")
        seg = gauger.segment_by_density(features, 3.0, min_points=3)
        return gauger.save_study(
            seg, tmp_path / name, source=gauger.write_table(table, tmp_path / f"{name}.csv")
        ).folder

    odd = pd.concat([TABLE, pd.DataFrame({"who": ["odd"], "visits": [5_000.0], "spend": [1.0]})], ignore_index=True)
    found = migration_between(saved("spring", odd), saved("summer", odd[14:]))
    assert found.remarks[0].code == "segments-matched"
    assert found.crossing.loc["unassigned", "unassigned"] == 1
    assert found.moved == 0.0
