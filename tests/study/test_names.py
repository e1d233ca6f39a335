"""Names: in everything at once or not at all, and carried to the segments that they match."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError
from gauger.study.carrying import with_names_of
from gauger.study.plan_of_segments import names_of


def _customers(first: int, many: tuple[int, ...] = (50, 40, 30)) -> pd.DataFrame:
    rng = np.random.default_rng(first)
    group = np.repeat(np.arange(len(many)), many)
    return pd.DataFrame(
        {
            "who": [f"c{first + row:04d}" for row in range(len(group))],
            "visits": rng.normal(10.0 + 30.0 * group, 2.0),
            "spend": rng.normal(20.0 + 10.0 * (group == 1), 1.0),
        }
    )


def _segments(table: pd.DataFrame, count: int = 3) -> gauger.Segmentation:
    return gauger.segment_by_kmeans(gauger.prepare(table, key="who"), count, starts=3)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    table = _customers(0)
    source = gauger.write_table(table, tmp_path / "customers.csv")
    return gauger.save_study(_segments(table), tmp_path / "s", source=source).folder


def _names_in(folder: Path) -> list[set[str]]:
    """The names of the segments as each file of a folder has them."""
    assigned, centres = (gauger.read_table(folder / name) for name in ("assignments.csv", "centres.csv"))
    model = gauger.load_model(folder / "model.json").segment_names
    return [set(assigned["segment_name"]), set(centres["name"]), {model[n] for n in model if n}]


@pytest.mark.slow
@pytest.mark.usefixtures("drawn")
def test_names_go_into_everything_the_folder_holds(folder: Path) -> None:
    before = (folder / "segments.png").read_bytes()
    study = gauger.name_study(folder, {1: "rare", 3: 'the "best", of all'})
    wanted = {"rare", "segment 2", 'the "best", of all'}
    assert _names_in(folder) == [wanted] * 3
    assert (folder / "segments.png").read_bytes() != before
    assert [one.name for one in study.plan.names] == ["rare", 'the "best", of all']
    assert study.profile.sizes["name"].tolist()[:3] == ["rare", "segment 2", 'the "best", of all']
    assert "rare" in study.model.sql("customers", dialect="duckdb")
    assert set(study.model.assign(study.table)["segment_name"]) == wanted
    assert gauger.name_study(folder, {3: "segment 3"}).names[3] == "segment 3"


def test_suggested_names_are_given_to_those_that_are_not_named(folder: Path) -> None:
    names = gauger.name_study(folder, {2: "mine"}, suggested=True).names
    assert names[2] == "mine"
    assert len(set(names.values())) == 4
    assert not any(name.startswith("segment ") for name in names.values())


@pytest.mark.slow
@pytest.mark.parametrize(
    ("names", "message"),
    [
        ({9: "x"}, "there is no segment 9: they run from 1 to 3"),
        ({1: " "}, "is no name: it must be text on one line"),
        ({1: "a\nb"}, "is no name: it must be text on one line"),
        ({1: "2"}, "would be taken for the number of a segment"),
        ({1: "x", 2: "x"}, "two segments would be called 'x'"),
        ({1: "unassigned"}, "two segments would be called 'unassigned'"),
        ({}, "say which names"),
    ],
)
def test_what_is_no_name_changes_nothing(folder: Path, names: dict[int, str], message: str) -> None:
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    with pytest.raises(SettingError, match=message):
        gauger.name_study(folder, names)
    assert {path.name: path.read_bytes() for path in folder.iterdir()} == before


@pytest.mark.slow
@pytest.mark.parametrize("seen", [".gauger-*", ".gauger-*/results/assignments.csv", ".gauger-*/results/model.json"])
def test_a_kill_while_naming_leaves_all_names_or_none(folder: Path, seen: str) -> None:
    process = subprocess.Popen(
        [sys.executable, "-m", "gauger", "name", str(folder), "1=x", "2=y", "3=z"],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    deadline = time.monotonic() + 60
    while process.poll() is None and not list(folder.glob(seen)):
        assert time.monotonic() < deadline
        time.sleep(0.001)
    process.send_signal(signal.SIGKILL)
    process.wait()
    gauger.open_study(folder)
    found = _names_in(folder)
    assert found in ([{"segment 1", "segment 2", "segment 3"}] * 3, [{"x", "y", "z"}] * 3)


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="there is no full disk here")
def test_a_full_disk_while_naming_changes_nothing(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from gauger.study import naming

    def write_model(_: object, file: Path) -> None:
        with Path("/dev/full").open("w") as full:
            full.write("x" * 100_000)
            os.fsync(full.fileno())
        raise AssertionError(file)

    monkeypatch.setattr(naming, "save_model", write_model)
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    with pytest.raises(gauger.errors.OutputError, match="failed: No space left on device"):
        gauger.name_study(folder, {1: "x"})
    assert {path.name: path.read_bytes() for path in folder.iterdir()} == before


def test_names_and_numbers_follow_customers_who_are_there_both_times() -> None:
    table = _customers(0)
    before = _segments(table).rename({1: "rare", 3: "often"})
    grown = pd.concat([table, _customers(500, (0, 0, 60))])
    later = with_names_of(_segments(grown), names_of(before), before.assignments)
    assert later.names == {0: "unassigned", 1: "rare", 2: "segment 2", 3: "often"}
    assert later.sizes[3] == 90
    assert later.remarks == _segments(grown).remarks


def test_names_follow_centres_to_other_customers_and_what_is_lost_is_said() -> None:
    before = _segments(_customers(0)).rename({1: "rare", 2: "middle", 3: "often"})
    for assignments in (None, before.assignments):
        others = with_names_of(_segments(_customers(5_000, (20, 60, 40))), names_of(before), assignments)
        means = others.centres["visits"]
        assert {others.names[number]: round(means[number] / 30.0 - 1 / 3) for number in others.numbers} == {
            "rare": 0,
            "middle": 1,
            "often": 2,
        }
    fewer = with_names_of(_segments(_customers(9_000, (70, 50)), 2), names_of(before))
    assert {name for name in fewer.names.values() if not name.startswith("segment")} == {"unassigned", "rare", "middle"}
    (lost,) = [remark.text for remark in fewer.remarks if remark.code == "names-not-placed"]
    assert lost.startswith("the name 'often' could not be placed")


@pytest.mark.slow
def test_two_studies_that_were_found_apart_are_matched_before_movement_is_told(folder: Path, tmp_path: Path) -> None:
    from gauger.study import migration_between

    table = gauger.read_table(tmp_path / "customers.csv")
    moved = table.assign(visits=np.where(table.index < 5, 70.0, table["visits"]))
    source = gauger.write_table(pd.concat([moved.iloc[2:], _customers(800, (0, 0, 45))]), tmp_path / "later.csv")
    later = gauger.save_study(_segments(gauger.read_table(source)), tmp_path / "later", source=source)
    found = migration_between(folder, later.folder, value="spend")
    assert found.customers["moved"].sum() == 3
    assert len(found.only_first) == 2
    assert len(found.only_second) == 45
    assert found.value is not None
    assert np.isclose(found.value.to_numpy().sum(), moved["spend"].iloc[2:].sum())
    assert "segments-matched" in {remark.code for remark in found.remarks}
