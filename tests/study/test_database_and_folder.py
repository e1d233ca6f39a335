"""A database's tables and a study's folder are there together, or not at all, whatever breaks in between."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import duckdb
import pandas as pd
import pytest

import gauger
from gauger.errors import GaugerError, OutputError
from gauger.tables import recover, sessions, staging, whole_folders, writing
from gauger.tables.journals import PREFIX, Stage
from tests.own_segments import database_segmented

SETTINGS = {"table": "base", "into": "made", "key": "who", "count": 2, "features": ["visits"]}


class _KilledError(BaseException):
    """What a test stops a command with, as a kill does."""


@pytest.fixture
def url(tmp_path: Path) -> str:
    rows = pd.DataFrame({"who": [f"c{at}" for at in range(60)], "visits": [at % 2 * 30 + at % 5 for at in range(60)]})
    with duckdb.connect(str(tmp_path / "shop.duckdb")) as shop:
        shop.register("rows_here", rows)
        shop.sql("CREATE TABLE base AS SELECT * FROM rows_here")
    return f"duckdb:///{tmp_path}/shop.duckdb"


def _rows(tmp_path: Path, statement: str) -> list[tuple[object, ...]]:
    with duckdb.connect(str(tmp_path / "shop.duckdb"), read_only=True) as shop:
        return shop.sql(statement).fetchall()


def _tables(tmp_path: Path) -> set[object]:
    return {row[0] for row in _rows(tmp_path, "SELECT table_name FROM duckdb_tables()")}


def _whole(folder: Path) -> bool:
    names = {path.name for path in folder.iterdir()} if folder.is_dir() else set()
    return {"plan.toml", "model.json", "centres.csv", "profile.csv"} <= names


def _untouched(folder: Path) -> bool:
    return not folder.exists() or not [path for path in folder.iterdir() if not path.name.startswith(".gauger")]


@contextmanager
def _failing(
    monkeypatch: pytest.MonkeyPatch, owner: object, name: str, error: BaseException, folder: Path
) -> Iterator[None]:
    """Raise an error in place of a call that is about a folder; a kill also leaves what would be tidied up."""
    real = getattr(owner, name)

    def fail(*given: object, **settings: object) -> object:
        about = getattr(given[0], "folder", None) if given else None
        if about not in (None, folder):  # a smaller write inside the stage
            return real(*given, **settings)
        raise error

    with monkeypatch.context() as patch:
        if isinstance(error, _KilledError):
            patch.setattr(staging, "_remove", lambda _: None)
            patch.setattr(staging, "settle", lambda _: None)
        patch.setattr(owner, name, fail)
        with pytest.raises((_KilledError, OutputError)):
            yield


FAULTS = [
    pytest.param(_KilledError(), id="kill"),
    pytest.param(OSError(28, "No space left on device"), id="full disk", marks=pytest.mark.slow),
]
STEPS = {
    "writing a file": (Path, "write_text"),
    "putting the files on the disk": (writing, "make_ready"),
    "the decision": (Stage, "decide"),
    "the first move": (staging, "_take_place"),
}


@pytest.mark.slow
@pytest.mark.parametrize("error", FAULTS)
@pytest.mark.parametrize("step", list(STEPS))
def test_tables_and_study_are_never_there_without_each_other(
    step: str, error: BaseException, url: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    owner, name = STEPS[step]
    with _failing(monkeypatch, owner, name, error, tmp_path / "s"):
        database_segmented(url, out=tmp_path / "s", **SETTINGS)
    before_commit = step in ("writing a file", "putting the files on the disk")
    if (tmp_path / "s").is_dir():
        recover(tmp_path / "s")
    if before_commit:
        assert _tables(tmp_path) == {"base"}
        assert _untouched(tmp_path / "s")
    else:
        assert _tables(tmp_path) == {"base", "made", "made_centres"}
        assert _whole(tmp_path / "s")
        assert not list((tmp_path / "s").glob(f"{PREFIX}*"))
    done = database_segmented(url, out=tmp_path / "s", replace=True, **SETTINGS)
    assert done.sizes.tolist() == [30, 30]
    assert gauger.open_study(tmp_path / "s").profile.sizes["customers"].to_dict()[1] == 30


def _killed_before(monkeypatch: pytest.MonkeyPatch, url: str, folder: Path, *, committed: bool) -> None:
    """A kill between the sealing of the files and their decision, before or after the database has committed."""
    owner, name = (Stage, "decide") if committed else (sessions, "_commit")
    with _failing(monkeypatch, owner, name, _KilledError(), folder):
        database_segmented(url, out=folder, **SETTINGS)


@pytest.mark.slow
@pytest.mark.parametrize("committed", [True, False])
def test_after_a_kill_around_the_commit_the_database_decides(
    committed: bool, url: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    folder = tmp_path / "s"
    _killed_before(monkeypatch, url, folder, committed=committed)
    assert _untouched(folder)
    assert len(list(folder.glob(f"{PREFIX}*"))) == 1
    assert (_tables(tmp_path) == {"base"}) is not committed
    if committed:  # who reads sees the study, and changes nothing
        before = sorted(tmp_path.rglob("*"))
        assert gauger.open_study(folder).profile.sizes["customers"].to_dict()[1] == 30
        assert sorted(tmp_path.rglob("*")) == before
    else:
        with pytest.raises(GaugerError, match=r"a folder without plan\.toml"):
            gauger.open_study(folder)
    recover(folder)
    assert _whole(folder) is committed
    told = "its results are complete now" if committed else "what it had begun was removed"
    assert told in caplog.text
    assert not list(folder.glob(f"{PREFIX}*"))


def test_a_database_that_cannot_be_asked_leaves_all_as_it_is(
    url: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "s"
    _killed_before(monkeypatch, url, folder, committed=True)
    (tmp_path / "shop.duckdb").rename(tmp_path / "away.duckdb")
    for work in (lambda: recover(folder), lambda: gauger.open_study(folder)):
        with pytest.raises(GaugerError, match=r"there is no file .*shop.duckdb"):
            work()
    assert len(list(folder.glob(f"{PREFIX}*"))) == 1
    (tmp_path / "away.duckdb").rename(tmp_path / "shop.duckdb")
    recover(folder)
    assert _whole(folder)


@pytest.mark.slow
@pytest.mark.parametrize("error", FAULTS)
@pytest.mark.parametrize("step", list(STEPS))
def test_names_are_in_the_database_and_the_study_or_in_neither(
    step: str, error: BaseException, url: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "s"
    database_segmented(url, out=folder, **SETTINGS)
    owner, name = STEPS[step]
    with _failing(monkeypatch, owner, name, error, folder):
        gauger.name_study(folder, {1: "regulars"})
    assert (("regulars",) in _rows(tmp_path, "SELECT DISTINCT segment_name FROM made")) is (
        step not in ("writing a file", "putting the files on the disk")
    )
    named = ("regulars",) in _rows(tmp_path, "SELECT DISTINCT segment_name FROM made")
    assert gauger.open_study(folder).names[1] == ("regulars" if named else "segment 1")
    gauger.name_study(folder, {2: "others"})
    found = gauger.open_study(folder).names
    assert found == {0: "unassigned", 1: "regulars" if named else "segment 1", 2: "others"}
    assert set(_rows(tmp_path, "SELECT DISTINCT segment_name FROM made")) == {(found[1],), (found[2],)}
    assert not list(folder.glob(f"{PREFIX}*"))


@pytest.mark.slow
def test_an_error_of_the_commit_itself_is_settled_at_once(
    url: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The connection may break before or after the database has kept what was sent: it is asked."""
    real = sessions._commit
    for number, there in enumerate((False, True)):
        folder, calls = tmp_path / f"s{number}", []

        def lost(fetch: Callable[[str], list[sessions.Row]], there: bool = there, calls: list[int] = calls) -> None:
            calls.append(1)
            if there or len(calls) > 1:
                real(fetch)
            if len(calls) == 1:
                raise gauger.errors.DatabaseError("the connection was lost")

        with monkeypatch.context() as patch:
            patch.setattr(sessions, "_commit", lost)
            with pytest.raises(GaugerError, match="the connection was lost"):
                database_segmented(url, out=folder, **{**SETTINGS, "into": f"made{number}"})
        assert (_whole(folder), f"made{number}" in _tables(tmp_path)) == (there, there)
        assert folder.exists() is there
        assert not list(folder.glob(f"{PREFIX}*"))


def test_a_hand_off_into_a_database_has_its_folder_or_is_not_there(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    import sqlite3

    pytest.importorskip("sqlalchemy")
    sqlite3.connect(tmp_path / "crm.db").close()
    who = pd.DataFrame({"who": list("abcd"), "segment": [1, 1, 2, 2]})
    contacts = who[["who"]].assign(email=[f"{one}@example.org" for one in "abcd"])
    there = {"campaign": "spring", "consent": None, "holdout": 0.0, "format": f"sqlite:///{tmp_path}/crm.db"}

    def tables() -> set[object]:
        with sqlite3.connect(tmp_path / "crm.db") as crm:
            return {row[0] for row in crm.execute("SELECT name FROM sqlite_master WHERE name LIKE 'spring%'")}

    with monkeypatch.context() as patch:
        patch.setattr(whole_folders, "make_ready_as_a_whole", lambda *_: (_ for _ in ()).throw(OSError(28, "full")))
        with pytest.raises(OutputError, match="full"):
            gauger.hand_off(who, contacts, tmp_path / "h", **there)
    assert tables() == set()
    assert not (tmp_path / "h").exists()
    with _failing(monkeypatch, Stage, "decide", _KilledError(), tmp_path):
        gauger.hand_off(who, contacts, tmp_path / "h", **there)
    assert "spring_audience" in tables()
    recover(tmp_path)
    assert (tmp_path / "h" / "manifest.json").exists()
