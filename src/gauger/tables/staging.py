"""Folders that results are made in before they appear: owned while their maker lives, finished or swept by the next."""

import contextlib
import os
import secrets
import shutil
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from gauger.errors import GaugerError, OutputError
from gauger.progress import note
from gauger.tables.databases import PASSWORD_VARIABLE, password_as
from gauger.tables.folder_locks import locked, try_lock
from gauger.tables.journals import (
    ASIDE,
    OWNER,
    PREFIX,
    PREPARED,
    READY,
    RESULTS,
    Journal,
    Stage,
    left_stages,
    refuse_links,
    to_disk,
)
from gauger.tables.table_marks import was_committed

_FOR_ALL = (".png", ".svg", ".pdf")
_OWN_FILE, _OWN_FOLDER = 0o600, 0o700
"""Rights of the owner alone."""


class StagedResults:
    """What results on their way have in common: the folder they are written into for now, and their write's token."""

    staged: Stage

    @property
    def stage(self) -> Path:
        """Where the files are for now."""
        return self.staged.results

    @property
    def token(self) -> str:
        """What tells this write from every other."""
        return self.staged.token


@contextmanager
def stage_in(folder: Path) -> Iterator[Stage]:
    """A stage for results in a folder, gone when the block ends; what earlier commands left there is settled first.

    Of results that are complete an error leaves the stage, because their database may have kept what belongs to them,
    or some of their files are in place: the next command settles it.
    """
    recover(folder)
    with _owned(folder) as stage:
        try:
            yield stage
        finally:
            if stage.state == PREPARED and stage.own_journal().database is not None:
                with contextlib.suppress(GaugerError):  # an error while the database committed: did it?
                    settle(stage)
            elif stage.state in (RESULTS, PREPARED):
                _remove(stage)


def recover(folder: Path) -> None:
    """Settle what this user's commands that no longer live have left in a folder: finish what was decided, ask the
    database about what was sealed, remove the rest. Says what it did; leaves alone what is not this user's."""
    for stage in left_stages(folder):
        with _taken(stage) as mine:
            if mine:
                settle(stage)


def settle(stage: Stage) -> None:
    """Finish or undo what a stage that this process holds was left with."""
    if stage.state == PREPARED:
        database = stage.checked_journal().database
        if database is None or not was_committed(database):
            note(f"An interrupted command did not finish writing into {stage.folder}: what it had begun was removed.")
            return _remove(stage)
        stage.decide()
    if stage.state == READY:
        try:
            _take_place(stage, stage.checked_journal())
        except OSError as error:
            if isinstance(error, GaugerError):
                raise
            raise OutputError(
                f"an earlier command was stopped while it wrote into {stage.folder}, and its files cannot take their "
                f"places: {error.strerror}. They are in {stage.place / READY}."
            ) from error
        note(f"An interrupted command did not finish writing into {stage.folder}: its results are complete now.")
    return _remove(stage)


def make_ready(stage: Stage, gone: Sequence[str] = (), database: Mapping[str, str] | None = None) -> None:
    """Put the results on the disk, with the journal of which files go where and which are removed."""
    files = _on_disk(stage.results, also_folders=False)
    stage.seal(Journal(files=files, gone=tuple(gone), database=database))


def make_ready_as_a_whole(stage: Stage, target: Path, database: Mapping[str, str] | None = None) -> None:
    """Put the results on the disk, as a folder that takes the place of another; its owner alone may look into it."""
    _on_disk(stage.results, also_folders=True)
    stage.seal(Journal(target=target.name, database=database))


def database_of_journal(url: str | None, into: str | None, token: str) -> dict[str, str] | None:
    """Where the next command can see whether a write was committed; a password becomes a variable's name."""
    if url is None or into is None:
        return None
    return {"url": password_as(url, PASSWORD_VARIABLE), "table": into, "write": token}


def publish(stage: Stage) -> None:
    """Let results that are ready take their place. Who is killed before has changed nothing; afterwards the next
    command that writes into the folder finishes the rest."""
    journal = stage.own_journal()
    with locked(stage.folder):
        stage.decide()
        while True:
            try:
                _take_place(stage, journal)
            except KeyboardInterrupt:
                continue
            return _remove(stage)


def _on_disk(results: Path, *, also_folders: bool) -> tuple[str, ...]:
    """Give files their rights and put them on the disk; their names."""
    files = []
    for path in (*sorted(results.rglob("*")), results):
        if any(part.startswith(PREFIX) for part in path.relative_to(results).parts):
            continue
        if path.is_dir():
            if also_folders:
                path.chmod(_OWN_FOLDER)
        else:
            files.append(path.relative_to(results).as_posix())
            if also_folders or path.suffix.lower() not in _FOR_ALL:
                path.chmod(_OWN_FILE)
        to_disk(path)
    return tuple(files)


def _take_place(stage: Stage, journal: Journal) -> None:
    """Do what the journal says; what was done before a kill is not done again."""
    if journal.target is not None:
        return _take_place_as_a_whole(stage, stage.folder / journal.target)
    refuse_links(stage.folder, (*journal.files, *journal.gone))
    for name in journal.files:
        ready, target = stage.place / READY / name, stage.folder / name
        if ready.exists():
            target.parent.mkdir(parents=True, exist_ok=True)
            os.replace(ready, target)
    for name in journal.gone:
        (stage.folder / name).unlink(missing_ok=True)
    to_disk(stage.folder)
    return None


def _take_place_as_a_whole(stage: Stage, target: Path) -> None:
    ready, aside = stage.place / READY, stage.place / ASIDE
    refuse_links(stage.folder, [target.name])
    if target.exists() and not aside.exists() and not _is_empty(target):
        target.rename(aside)
    try:
        ready.rename(target)
    except OSError:
        if aside.exists() and not target.exists():
            aside.rename(target)
        raise
    to_disk(stage.folder)


def _is_empty(folder: Path) -> bool:
    return folder.is_dir() and not any(folder.iterdir())


@contextmanager
def _owned(folder: Path) -> Iterator[Stage]:
    """A new stage, locked as long as this process lives, or the block lasts."""
    token = secrets.token_hex(16)
    stage = Stage(folder, folder / f"{PREFIX}{token}", token)
    stage.claim()
    try:
        stage.place.mkdir(mode=_OWN_FOLDER)
        lock = (stage.place / OWNER).open("w")
    except OSError as error:
        stage.forget()
        raise OutputError(f"cannot write into {folder}: {error.strerror}. Choose another place.") from error
    with lock:
        try_lock(lock.fileno())
        stage.results.mkdir()
        yield stage


@contextmanager
def _taken(stage: Stage) -> Iterator[bool]:
    """Take a stage that nobody holds, so that two commands never settle it at once; whether it was there to take."""
    try:
        lock = (stage.place / OWNER).open("a")
    except OSError:
        yield stage.place.is_dir()
        return
    with lock:
        yield try_lock(lock.fileno()) is not False and stage.place.is_dir()


def _remove(stage: Stage) -> None:
    """Remove a stage, also when Ctrl-C is pressed again meanwhile."""
    while True:
        try:
            shutil.rmtree(stage.place, ignore_errors=True)
            if not stage.place.exists():
                stage.forget()
        except KeyboardInterrupt:
            continue
        return


@dataclass(frozen=True)
class Standing:
    """What a folder holds, with the files of complete results that a kill kept from taking their places.

    Reading a folder goes through here, and changes nothing: the next command that writes into it finishes the rest.
    """

    folder: Path
    waiting: Path | None = None
    files: frozenset[str] = frozenset()
    gone: frozenset[str] = frozenset()

    def path(self, name: str) -> Path:
        """Where to read a file of the folder, there or not."""
        if self.waiting is not None and (self.waiting / name).exists():
            return self.waiting / name
        return self.folder / name if name not in self.gone else self.folder / PREFIX / name

    def names(self, within: str) -> list[str]:
        """The files in a folder inside the folder, by name, sorted."""
        own = {path.relative_to(self.folder).as_posix() for path in (self.folder / within).glob("**/*")}
        return sorted((own | {name for name in self.files if name.startswith(f"{within}/")}) - self.gone)


def standing_in(folder: Path) -> Standing:
    """What a folder holds, whether or not all of its files have taken their places."""
    for stage in left_stages(folder):
        if stage.state == RESULTS:
            continue
        journal = stage.checked_journal()
        kept = stage.state == READY or (journal.database is not None and was_committed(journal.database))
        if kept and journal.target is None:
            return Standing(folder, stage.place / stage.state, frozenset(journal.files), frozenset(journal.gone))
    return Standing(folder)
