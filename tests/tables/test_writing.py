"""Writing: whole or not at all, and nothing is overwritten unasked."""

import shutil
from pathlib import Path

import pandas as pd
import pytest

import gauger
from gauger.errors import OutputError, TableFileError
from gauger.tables import result_folder

TABLE = pd.DataFrame({"who": ["a", "b"], "spend": [0.1, 2.0]})


def test_a_folder_appears_with_all_its_files(tmp_path: Path) -> None:
    with result_folder(tmp_path / "new" / "out", ["t.csv", "data/u.parquet"]) as results:
        results.add_table("t.csv", TABLE)
        results.add_table("data/u.parquet", TABLE)
        assert not (tmp_path / "new" / "out" / "t.csv").exists()
    assert [path.read_bytes()[:4] for path in results.paths] == [b"who,", b"PAR1"]
    assert sorted(path.name for path in (tmp_path / "new" / "out").iterdir()) == ["data", "t.csv"]


@pytest.mark.parametrize("fault", [RuntimeError, KeyboardInterrupt, BrokenPipeError])
def test_a_fault_inside_leaves_nothing_behind(tmp_path: Path, fault: type[BaseException]) -> None:
    with pytest.raises(fault), result_folder(tmp_path / "new" / "out", ["t.csv"]) as results:
        results.add_table("t.csv", TABLE)
        raise fault
    assert list(tmp_path.iterdir()) == []


def test_a_fault_inside_leaves_earlier_results_as_they_were(tmp_path: Path) -> None:
    gauger.write_table(TABLE, tmp_path / "t.csv")
    before = (tmp_path / "t.csv").read_bytes()
    with pytest.raises(RuntimeError), result_folder(tmp_path, ["t.csv"], replace=True) as results:
        results.add_table("t.csv", TABLE.iloc[:1])
        raise RuntimeError
    assert (tmp_path / "t.csv").read_bytes() == before
    assert [path.name for path in tmp_path.iterdir()] == ["t.csv"]


def test_a_second_ctrl_c_does_not_stop_the_sweeping(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    presses = iter([KeyboardInterrupt, None])
    real = shutil.rmtree

    def interrupted(place: Path, *, ignore_errors: bool = False) -> None:
        if next(presses):
            raise KeyboardInterrupt
        real(place, ignore_errors=ignore_errors)

    monkeypatch.setattr(shutil, "rmtree", interrupted)
    with pytest.raises(KeyboardInterrupt), result_folder(tmp_path / "out", ["t.csv"]) as results:
        results.add_table("t.csv", TABLE)
        raise KeyboardInterrupt
    assert not (tmp_path / "out").exists()


def test_existing_results_are_refused_before_any_work_and_replaced_when_told(tmp_path: Path) -> None:
    gauger.write_table(TABLE, tmp_path / "t.csv")
    with pytest.raises(OutputError, match=r"t\.csv is there already.*--replace"):
        gauger.write_table(TABLE.iloc[:1], tmp_path / "t.csv")
    gauger.write_table(TABLE.iloc[:1], tmp_path / "t.csv", replace=True)
    assert len(gauger.read_table(tmp_path / "t.csv")) == 1


def test_a_place_that_cannot_be_written_is_named(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    with pytest.raises(OutputError, match=r"cannot write into .*Not a directory"):
        gauger.write_table(TABLE, tmp_path / "file" / "t.csv")


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="needs the device /dev/full")
def test_a_full_disk_is_said_and_nothing_is_kept(tmp_path: Path) -> None:
    with (
        pytest.raises(OutputError, match=r"writing into .* failed: No space left"),
        result_folder(tmp_path / "out", ["t.csv"]) as results,
        results.path("t.csv").open("wb"),
        Path("/dev/full").open("wb", buffering=0) as full,
    ):
        full.write(b"x")
    assert not (tmp_path / "out").exists()


def test_numbers_come_back_from_csv_to_the_bit(tmp_path: Path) -> None:
    table = pd.DataFrame({"who": ["a"], "x": [0.1 + 0.2]})
    assert gauger.read_table(gauger.write_table(table, tmp_path / "t.csv"))["x"][0] == 0.1 + 0.2


def test_other_endings_and_unannounced_or_forgotten_files_are_refused(tmp_path: Path) -> None:
    with pytest.raises(TableFileError, match="Gauger writes"):
        gauger.write_table(TABLE, tmp_path / "t.docx")
    with pytest.raises(ValueError, match="not announced"), result_folder(tmp_path, ["t.csv"]) as results:
        results.path("u.csv")
    with pytest.raises(ValueError, match=r"announced but not written: t\.csv"), result_folder(tmp_path, ["t.csv"]):
        pass
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("name", ["t.jsonl", "t.xlsx"])
def test_infinity_is_refused_where_the_format_has_none(tmp_path: Path, name: str) -> None:
    with pytest.raises(TableFileError, match=r"x holds infinity.*Write \.csv"):
        gauger.write_table(pd.DataFrame({"x": [1.0, float("inf")]}), tmp_path / name)


def test_moments_with_a_zone_are_written_as_the_clock_showed_them(tmp_path: Path) -> None:
    zoned = pd.DataFrame({"at": pd.to_datetime(["2025-01-01 23:30"]).tz_localize("Pacific/Auckland")})
    read = gauger.read_table(gauger.write_table(zoned, tmp_path / "t.xlsx"))
    assert read["at"].tolist() == [pd.Timestamp("2025-01-01 23:30")]


@pytest.mark.parametrize("name", ["t.csv.gz", "t.jsonl.gz"])
def test_the_same_table_gives_the_same_bytes(tmp_path: Path, name: str) -> None:
    for folder in ("one", "other"):
        gauger.write_table(TABLE, tmp_path / folder / name)
    assert (tmp_path / "one" / name).read_bytes() == (tmp_path / "other" / name).read_bytes()
