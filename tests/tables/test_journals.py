"""What a kill broke off: finished if it is this user's own, on this machine, and untouched; else left alone."""

import json
import os
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pandas as pd
import pytest

import gauger
from gauger.errors import OutputError
from gauger.tables import recover, result_folder, staging, standing_in, whole_folder
from gauger.tables.journals import JOURNAL, PREFIX, READY, Journal, Stage, is_plain_name, left_stages
from gauger.tables.user_state import state_folder

TABLE = pd.DataFrame({"who": ["a", "b"], "visits": [1, 2]})


@pytest.fixture(autouse=True)
def _a_new_user(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path_factory.mktemp("state")))


class _KilledError(BaseException):
    """What a test stops a command with, as a kill does: nothing tidies up after it."""


@contextmanager
def _dying(monkeypatch: pytest.MonkeyPatch, owner: object, name: str, after: int = 0) -> Iterator[None]:
    """Die at the call of a function by which files are moved, after so many calls of it."""
    calls, real = 0, getattr(owner, name)

    def dying(*given: object, **settings: object) -> object:
        nonlocal calls
        calls += 1
        if calls > after:
            raise _KilledError
        return real(*given, **settings)

    with monkeypatch.context() as patch:
        patch.setattr(owner, name, dying)
        patch.setattr(staging, "_remove", lambda _: None)
        with pytest.raises(_KilledError):
            yield


def _folder(tmp_path: Path) -> Path:
    folder = tmp_path / "s"
    folder.mkdir()
    for name in ("a.csv", "b.csv", "old.csv"):
        (folder / name).write_text("before")
    return folder


def _write(folder: Path) -> None:
    with result_folder(folder, ["a.csv", "b.csv", "within/c.csv"], optional=["old.csv"], replace=True) as results:
        for name in ("a.csv", "b.csv", "within/c.csv"):
            results.path(name).write_text("after")


def _texts(folder: Path) -> dict[str, str]:
    files = (path for path in folder.rglob("*") if path.is_file() and PREFIX not in str(path))
    return {path.relative_to(folder).as_posix(): path.read_text() for path in files}


def _everything(folder: Path) -> dict[str, tuple[str, object]]:
    """A snapshot: every path with its kind and content."""
    return {str(path): _content(path) for path in sorted(folder.rglob("*"))}


def _content(path: Path) -> tuple[str, object]:
    if path.is_symlink():
        return "link", path.readlink()
    return ("file", path.read_bytes()) if path.is_file() else ("folder", None)


AFTER = dict.fromkeys(("a.csv", "b.csv", "within/c.csv"), "after")
BEFORE = dict.fromkeys(("a.csv", "b.csv", "old.csv"), "before")


@pytest.mark.parametrize("moved", [0, 1, 2])
def test_a_kill_between_moves_is_finished_by_the_next_that_writes_and_seen_by_who_reads(
    moved: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    folder = _folder(tmp_path)
    with _dying(monkeypatch, os, "replace", after=2 + moved):  # the state folder takes two
        _write(folder)
    assert _texts(folder) not in (AFTER, BEFORE) or moved == 0
    before = _everything(tmp_path)
    there = standing_in(folder)
    assert {name: there.path(name).read_text() for name in AFTER} == AFTER
    assert not there.path("old.csv").exists()
    assert there.names("within") == ["within/c.csv"]
    assert _everything(tmp_path) == before  # reading has changed nothing
    recover(folder)
    assert _texts(folder) == AFTER
    assert "its results are complete now" in caplog.text
    assert not list(folder.glob(f"{PREFIX}*"))
    assert not list((state_folder() / "stages").glob("*"))


def test_a_kill_before_the_decision_has_changed_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = _folder(tmp_path)
    with _dying(monkeypatch, Stage, "decide"):
        _write(folder)
    assert _texts(folder) == BEFORE
    assert standing_in(folder).path("a.csv").read_text() == "before"
    recover(folder)
    assert _texts(folder) == BEFORE
    assert not list(folder.glob(f"{PREFIX}*"))


def _left(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> tuple[Path, Path]:
    """A folder that a kill left half-published, and its stage."""
    folder = _folder(tmp_path)
    with _dying(monkeypatch, os, "replace", after=2):
        _write(folder)
    (stage,) = left_stages(folder)
    return folder, stage.place


def _forge_journal(stage: Path) -> None:
    told = json.loads((stage / JOURNAL).read_text())
    (stage / JOURNAL).write_text(json.dumps({**told, "gone": ["b.csv"]}))


def _forge_escape(stage: Path) -> None:
    told = json.loads((stage / JOURNAL).read_text())
    (stage / JOURNAL).write_text(json.dumps({**told, "gone": ["../outside.csv", "/etc/outside.csv"]}))


@pytest.mark.parametrize(
    "damage",
    [
        _forge_journal,
        _forge_escape,
        lambda stage: (stage / JOURNAL).write_text("{"),
        lambda stage: (stage / JOURNAL).write_bytes(b"\xff\x00"),
        lambda stage: (stage / JOURNAL).write_text("[" * 50_000),
        lambda stage: (stage / JOURNAL).unlink(),
    ],
)
def test_a_journal_that_was_changed_is_one_clear_message_and_is_not_followed(
    damage: Callable[[Path], object], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder, stage = _left(tmp_path, monkeypatch)
    (tmp_path / "outside.csv").write_text("keep")
    damage(stage)
    before = _everything(tmp_path)
    for work in (lambda: recover(folder), lambda: standing_in(folder), lambda: _write(folder)):
        with pytest.raises(OutputError, match=r"its journal in .* is damaged. Nothing was changed: remove that folder"):
            work()
    assert _everything(tmp_path) == before


@pytest.mark.parametrize("what", ["another folder", "another machine", "another user", "unknown"])
def test_a_stage_that_is_not_this_users_own_is_never_touched(
    what: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder, stage = _left(tmp_path, monkeypatch)
    if what == "another folder":  # as when a study is sent to somebody, or put into an archive and out again
        folder = folder.rename(tmp_path / "got")
    elif what == "another machine":
        monkeypatch.setattr("platform.node", lambda: "elsewhere")
    elif what == "another user":
        monkeypatch.setattr("os.getuid", lambda: os.geteuid() + 1)
    else:
        shutil.rmtree(state_folder() / "stages")
    before = _everything(tmp_path)
    recover(folder)
    assert standing_in(folder) == staging.Standing(folder)
    assert _everything(tmp_path) == before
    gauger.write_table(TABLE, folder / "more.csv")
    assert (folder / stage.name / READY).is_dir()


def test_finishing_never_goes_through_a_link(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder, _ = _left(tmp_path, monkeypatch)
    (tmp_path / "private").mkdir()
    (folder / "within").symlink_to(tmp_path / "private")
    with pytest.raises(OutputError, match="within is a link to "):
        recover(folder)
    assert list((tmp_path / "private").iterdir()) == []


def test_results_never_go_through_a_link_inside_their_folder(tmp_path: Path) -> None:
    folder = _folder(tmp_path)
    (tmp_path / "private").mkdir()
    (tmp_path / "private" / "c.csv").write_text("keep")
    (folder / "within").symlink_to(tmp_path / "private")
    with pytest.raises(OutputError, match="within is a link to "):
        _write(folder)
    assert _texts(tmp_path / "private") == {"c.csv": "keep"}
    assert _texts(folder) == BEFORE


def test_a_folder_in_the_place_of_a_file_is_refused_before_any_work(tmp_path: Path) -> None:
    folder = tmp_path / "s"
    (folder / "a.csv").mkdir(parents=True)
    with pytest.raises(OutputError, match=r"a.csv is a folder, and a file is to be written there"):
        _write(folder)


@pytest.mark.parametrize("name", ["../a", "/etc/passwd", "a/../b", "./a", "a//b", "", "a\x00b", "..", None, 3, "a/"])
def test_a_name_that_could_leave_the_folder_is_not_a_plain_one(name: object) -> None:
    assert not is_plain_name(name)
    with pytest.raises(ValueError, match="is not the name of a file inside the folder"):
        Journal(gone=(name,)).refuse_odd_names()  # type: ignore[arg-type]


@pytest.mark.parametrize("name", ["a.csv", "within/a.csv", ".hidden.csv", "a b…c.csv", "..a"])
def test_a_plain_name_is_one(name: str) -> None:
    assert is_plain_name(name)


def _whole(folder: Path, text: str) -> None:
    with whole_folder(folder, "a hand-off", replaceable=lambda _: True, replace=True) as results:
        (results.stage / "audience.csv").write_text(text)


@pytest.mark.parametrize("place", ["before the decision", "before the old goes", "between the two"])
def test_a_folder_that_is_replaced_as_a_whole_is_never_lost(
    place: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "h"
    _whole(folder, "first")
    owner, name, after = {
        "before the decision": (Stage, "decide", 0),
        "before the old goes": (Path, "rename", 2),
        "between the two": (Path, "rename", 3),
    }[place]
    with _dying(monkeypatch, owner, name, after):
        _whole(folder, "second")
    assert folder.exists() == (place != "between the two")
    recover(tmp_path)
    expected = "first" if place == "before the decision" else "second"
    assert _texts(tmp_path) == {"h/audience.csv": expected}
    assert not list(tmp_path.glob(f"{PREFIX}*"))


def test_users_without_a_state_folder_write_all_the_same(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    blocked = tmp_path / "blocked"
    blocked.write_text("a file where a folder should be")
    monkeypatch.setenv("XDG_STATE_HOME", str(blocked))
    folder = _folder(tmp_path)
    _write(folder)
    assert _texts(folder) == AFTER
    assert not list(folder.glob(f"{PREFIX}*"))
