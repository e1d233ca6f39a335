"""Commands on folders and patterns: block by block, and saying so."""

import json
from pathlib import Path

import pandas as pd
import pytest

import gauger
from gauger.demo import write_many_members
from tests.conftest import Run

FEATURES = ("--features", "visits,recency_days,ticket_spend", "--transform", "log")


@pytest.fixture
def base(tmp_path: Path) -> Path:
    write_many_members(3_000, tmp_path / "base", in_a_part=1_000)
    return tmp_path / "base"


@pytest.mark.slow
def test_segment_takes_a_pattern_and_later_commands_take_its_study(command: Run, base: Path, tmp_path: Path) -> None:
    shown = command(
        "segment", "base/*.parquet", "--key", "member_id", *FEATURES, "--count", "3", "--sample", "500", "--out", "s"
    )
    assert shown.returncode == 0, shown.stderr
    assert shown.stdout.startswith("Out of core: base/*.parquet")
    assert "3 segments of 3,000 members by k-means" in shown.stdout
    assert "wrote s/assignments" in shown.stdout
    assert len(list((tmp_path / "s" / "assignments").iterdir())) == len(list(base.iterdir())) == 3
    profiled = command("profile", "s")
    assert profiled.returncode == 0, profiled.stderr
    assert "sampled members" in profiled.stdout
    assert "a sample of 500 out of 3,000" in " ".join(profiled.stderr.split())
    assert command("name", "s", "1=regulars").returncode == 0
    assigned = command("assign", "s", "base", "--out", "again")
    assert assigned.returncode == 0, assigned.stderr
    own, again = (
        pd.concat([pd.read_parquet(path) for path in sorted((tmp_path / name).glob("*.parquet"))])
        for name in ("s/assignments", "again")
    )
    assert own["segment"].tolist() == again["segment"].tolist()
    assert set(again.loc[again["segment"] == 1, "segment_name"]) == {"regulars"}


def test_several_files_are_looked_at_and_compared_where_they_are(command: Run, base: Path, tmp_path: Path) -> None:
    assert base.is_dir()
    looked = command("look", "base/*.parquet", "--key", "member_id", "--out", "look")
    assert looked.returncode == 0, looked.stderr
    assert "3,000 rows" in looked.stdout
    assert "gauger counts 'base/*.parquet' --key member_id --features" in looked.stdout
    assert [path.name for path in (tmp_path / "look").iterdir()] == ["columns.csv"]
    words = ("base/*.parquet", "--key", "member_id", *FEATURES)
    assert command("segment", *words, "--count", "3", "--out", "s").returncode == 0
    drifted = command("drift", "s", "base/*.parquet")
    assert drifted.returncode == 0, drifted.stderr
    assert drifted.stdout.startswith("Advice: keep.")
    refused = command("segment", *words, "--count", "3", "--sample", "0", "--out", "t")
    assert (refused.returncode, "--sample 0" in refused.stderr) == (1, True)
    assert command("look", "base/*.parquet", "--sheet", "x").returncode == 2
    assert not (tmp_path / "t").exists()


def test_counts_study_a_sample_of_a_folder(command: Run, base: Path) -> None:
    assert base.is_dir()
    words = ("counts", "base", "--key", "member_id", *FEATURES, "--sample", "400", "--to", "3", "--json")
    shown = command(*words)
    assert shown.returncode == 0, shown.stderr
    told = json.loads(shown.stdout)
    assert "sample-of-all" in {remark["code"] for remark in told["remarks"]}


def test_one_file_is_done_by_blocks_when_asked_or_when_memory_is_short(
    command: Run, base: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = str(base / "members-0000.parquet")
    words = ("segment", file, "--key", "member_id", *FEATURES, "--count", "2", "--replace")
    assert "Out of core" not in command(*words, "--out", "once", "--format", "parquet").stdout
    assert len(gauger.open_study(tmp_path / "once").assignments) == 1_000
    assert "Out of core" in command(*words, "--out", "asked", "--out-of-core").stdout
    monkeypatch.setenv("GAUGER_MEMORY_GB", "0.0001")
    assert "Out of core" in command(*words, "--out", "short").stdout
    assert "Out of core" not in command(*words, "--out", "short", "--at-once").stdout
    assert not (tmp_path / "short" / "assignments").is_dir() or not list((tmp_path / "short" / "assignments").iterdir())


@pytest.mark.parametrize(
    ("words", "status", "told"),
    [
        (("--features", "visit", "--count", "2", "--out", "s"), 1, "there is no column 'visit' (did you mean 'visits'"),
        (("--features", "area", "--count", "2", "--out", "s"), 1, "'area' has"),
        (("--features", "visits", "--count", "2", "--out", "base/s"), 1, "is inside base"),
        (("--features", "visits", "--count", "5000", "--out", "s"), 1, "5000 segments asked for"),
        (("--features", "visits", "--out", "s", "--method", "density"), 2, "k-means alone"),
        (("--features", "visits", "--count", "2", "--out", "s", "--learn-on", "9"), 2, "there is no --learn-on"),
        (("--features", "visits", "--count", "2", "--out", "s", "--cluster", "tcp://127.0.0.1:9"), 1, "no scheduler"),
        (("--features", "visits", "--count", "2", "--out", "s", "--format", "xlsx"), 2, "csv or parquet"),
    ],
)
def test_wrong_words_are_told_once_and_nothing_is_written(
    words: tuple[str, ...], status: int, told: str, command: Run, base: Path, tmp_path: Path
) -> None:
    shown = command("segment", str(base.name), "--key", "member_id", *words)
    assert shown.returncode == status, shown.stdout
    assert told in " ".join(shown.stderr.split())
    assert "Traceback" not in shown.stderr
    assert not (tmp_path / "s").exists()
