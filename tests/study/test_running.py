"""A plan run as a whole: the same bytes each time, remarks refused, nothing half-written."""

import re
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path
from urllib.parse import unquote_plus

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import DatabaseError, OutputError, PlanError, RefusedRemarkError, StudyError
from gauger.study import find_segments, with_earlier_names

RNG = np.random.default_rng(11)
N = 150

PLAN = """\
key = "who"
made_at = "2026-10-01T06:00:00+00:00"

[events]
file = "data/visits.csv"
when = "day"
amount = "paid"
as_of = "2026-01-01"

[features.visits]
transform = "log"

[features.spend_mean]
cap = [0.0, 0.99]

[counts]
highest = 4

[segments]
count = "auto"
starts = 2

[profile.table]
file = "data/members.csv"

[[compare]]
column = "area"
table = { file = "data/members.csv" }

[hand_off]
campaign = "autumn"
contacts = { file = "data/members.csv" }
"""


@pytest.fixture(scope="module")
def place(tmp_path_factory: pytest.TempPathFactory) -> Path:
    place = tmp_path_factory.mktemp("quarter")
    often = RNG.permutation(np.repeat([2, 12], N // 2))
    rows = [
        {
            "who": f"c{at:03d}",
            "day": f"2025-{RNG.integers(1, 13):02d}-{RNG.integers(1, 28):02d}",
            "paid": RNG.gamma(9.0, 2.0),
        }
        for at, many in enumerate(often)
        for _ in range(many + RNG.integers(0, 3))
    ]
    gauger.write_table(pd.DataFrame(rows), place / "data" / "visits.csv")
    members = pd.DataFrame(
        {
            "who": [f"c{at:03d}" for at in range(N)],
            "area": np.where(often > 5, "town", "coast"),
            "consent_email": RNG.integers(0, 2, N),
            "email": [f"c{at}@example.org" for at in range(N)],
        }
    )
    gauger.write_table(members, place / "data" / "members.csv")
    (place / "plan.toml").write_text(PLAN)
    return place


def _bytes(folder: Path) -> dict[str, bytes]:
    return {path.relative_to(folder).as_posix(): path.read_bytes() for path in folder.rglob("*") if path.is_file()}


@pytest.fixture(scope="module")
def done(place: Path) -> Path:
    steps: list[str] = []
    gauger.run_plan(place / "plan.toml", place / "first", tell=lambda step, _: steps.append(step))
    assert steps == ["Read", "Prepared", "Counts", "Segments", "Names", "Profile", "Compared", "Handed off"]
    return place / "first"


def test_a_run_does_the_whole_of_a_plan(done: Path) -> None:
    names = set(_bytes(done))
    assert {"plan.toml", "assignments.csv", "model.json", "behaviour.parquet", "counts/counts.png"} <= names
    assert {"profile/means.csv", "compare/1/crossing.csv", "hand-off/manifest.json", "hand-off/arms.csv"} <= names
    study = gauger.open_study(done)
    assert study.plan.segments.count == study.segmentation.count == 2
    assert study.plan.events.file == "../data/visits.csv"
    assert study.plan.hand_off.contacts.file == "../data/members.csv"
    assert study.model.made_at == "2026-10-01T06:00:00+00:00"
    crossing = gauger.read_table(done / "compare" / "1" / "crossing.csv")
    assert set(crossing.columns) >= {"town", "coast"}


@pytest.mark.slow
@pytest.mark.usefixtures("drawn")
def test_a_second_run_on_other_threads_writes_the_same_bytes(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Figures too, so that both runs draw theirs."""
    found = []
    for threads in ("1", "3"):
        monkeypatch.setenv("GAUGER_THREADS", threads)
        gauger.run_plan(place / "plan.toml", place / f"on-{threads}")
        found.append(_bytes(place / f"on-{threads}"))
    first, second = found
    assert second["counts/counts.png"].startswith(b"\x89PNG")
    assert first.keys() == second.keys()
    assert [name for name in first if first[name] != second[name]] == []


def test_the_plan_of_a_run_finds_the_same_segments_and_names_are_carried(done: Path, place: Path) -> None:
    own = place / "named"
    shutil.copytree(done, own)
    study = gauger.name_study(own, {1: "the many", 2: "the few"})
    found = find_segments(study.features, study.plan.segments)
    assert (found.seg.codes == study.segmentation.codes).all()
    named = with_earlier_names(found, study.plan, own, place / "next").seg
    assert named.names == {0: "unassigned", 1: "the many", 2: "the few"}
    (own / "assignments.csv").unlink()
    by_centre = with_earlier_names(found, study.plan, place, place / "next").seg
    assert by_centre.names == named.names


def test_what_a_plan_refuses_is_an_error_and_nothing_is_written(place: Path) -> None:
    early = PLAN.replace("2026-01-01", "2025-12-01")
    (place / "strict.toml").write_text(early + '\n[remarks]\nrefuse = ["raw-scales", "after-as-of"]\n')
    with pytest.raises(RefusedRemarkError, match=r"the plan refuses after-as-of: .*\[after-as-of\]"):
        gauger.run_plan(place / "strict.toml", place / "strict")
    assert not (place / "strict").exists()
    (place / "typo.toml").write_text(PLAN + '\n[remarks]\nrefuse = ["raw-scale"]\n')
    with pytest.raises(PlanError, match=r"typo\.toml, line \d+, remarks\.refuse\[1\]: 'raw-scale' is none of"):
        gauger.run_plan(place / "typo.toml", place / "strict")


@pytest.mark.slow
def test_a_source_of_a_plan_that_is_gone_is_named_with_its_setting(place: Path) -> None:
    (place / "gone.toml").write_text(
        PLAN.replace(
            'column = "area"\ntable = { file = "data/members.csv" }',
            'column = "area"\ntable = { file = "data/gone.csv" }',
        )
    )
    with pytest.raises(StudyError, match=r"there is no file .*gone\.csv, which the plan names in \[compare\.table\]"):
        gauger.run_plan(place / "gone.toml", place / "gone")
    assert not (place / "gone").exists()


def test_a_run_does_not_replace_other_files_than_its_own(done: Path, place: Path) -> None:
    with pytest.raises(OutputError, match="are there already"):
        gauger.run_plan(place / "plan.toml", done)
    other = place / "other" / "hand-off"
    other.mkdir(parents=True)
    (other / "letter.txt").write_text("mine")
    with pytest.raises(OutputError, match="holds other things than a hand-off"):
        gauger.run_plan(place / "plan.toml", place / "other", replace=True)
    assert (other / "letter.txt").read_text() == "mine"


@pytest.mark.slow
@pytest.mark.parametrize("sign", [signal.SIGINT, signal.SIGKILL])
def test_a_run_that_is_stopped_leaves_nothing_that_looks_whole(place: Path, sign: signal.Signals) -> None:
    out = place / f"stopped-{sign.name}"
    process = subprocess.Popen(
        [sys.executable, "-m", "gauger", "run", "plan.toml", "--out", out.name],
        cwd=place,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
        text=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )
    deadline = time.monotonic() + 60
    while not list(out.glob(".gauger-*/results/counts")):
        assert time.monotonic() < deadline
        assert process.poll() is None
        time.sleep(0.02)
    process.send_signal(sign)
    _, errors = process.communicate(timeout=60)
    assert process.returncode == (130 if sign == signal.SIGINT else -sign)
    if sign == signal.SIGINT:
        assert re.search(r"gauger: stopped by Ctrl-C\. Nothing was written\.\s*$", errors)
        assert not out.exists()
    else:
        assert [path.name for path in out.iterdir() if not path.name.startswith(".")] == []


@pytest.mark.slow
def test_passwords_are_in_no_plan_and_come_from_the_environment(
    postgres: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    table = gauger.read_table(postgres, table="members")
    features = gauger.prepare(table, key="member_id", features=["east_km", "north_km"])
    seg = gauger.segment_by_kmeans(features, 3, starts=1)
    study = gauger.save_study(seg, tmp_path / "s", source=postgres, reading={"table": "members"})
    password = re.search(r"://[^:]*:(.*)@", postgres)[1]
    written = {path.name: path.read_bytes() for path in study.folder.iterdir()}
    assert not [name for name, content in written.items() if password.encode() in content]
    assert "${GAUGER_PASSWORD}" in (study.folder / "plan.toml").read_text()
    with pytest.raises(DatabaseError, match="set GAUGER_PASSWORD"):
        study.table  # noqa: B018
    monkeypatch.setenv("GAUGER_PASSWORD", unquote_plus(password))
    again = gauger.open_study(tmp_path / "s")
    assert (again.segmentation.codes == seg.codes).all()
    assert again.plan.source.rows == len(table)
