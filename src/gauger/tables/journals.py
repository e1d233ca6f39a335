"""What is left to do for results that are complete: a journal in their stage, believed only if this user wrote it.

A stage is a hidden folder that a command makes results in. When they are complete and on the disk, a journal says which
files go where, and one rename decides; the next command that writes into the folder finishes what a kill broke off. A
folder that came from somebody else can hold a stage too, so a stage counts as ours only if the user's state folder
remembers its token for this folder, on this machine, and its journal has the SHA-256 that is remembered with it.
"""

import contextlib
import hashlib
import json
import os
import platform
import re
import time
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from stat import S_ISDIR
from typing import Any

from gauger.errors import OutputError
from gauger.tables.folder_locks import try_lock
from gauger.tables.user_state import forget, recall, remember

PREFIX = ".gauger-"
"""What the name of a stage begins with; its token follows."""

OWNER, JOURNAL = "owner", "journal.json"
RESULTS, PREPARED, READY, ASIDE = "results", "prepared", "ready", "aside"
"""In the making; complete and waiting for a database; decided; and what is replaced, until it is gone."""

_STAGES = "stages"
_NAME = re.compile(re.escape(PREFIX) + r"([0-9a-f]{32})")
_LARGEST = 1 << 24
"""Bytes of the largest journal that is read: a hundred thousand names; chosen by us."""
_GRACE = 3_600.0
"""Seconds for which a stage without a lock counts as one that is just being made; chosen by us."""


@dataclass(frozen=True)
class Journal:
    """What becomes of complete results.

    `files` go into the folder and the files `gone` are removed from it; or, where `target` names a folder, the results
    take its place as a whole. `database` says which table has to be committed first, for results that belong to it.
    """

    files: tuple[str, ...] = ()
    gone: tuple[str, ...] = ()
    target: str | None = None
    database: Mapping[str, str] | None = None

    def refuse_odd_names(self) -> None:
        """Raise ValueError unless every name is a plain one inside the folder."""
        for name in (*self.files, *self.gone, *(() if self.target is None else (self.target,))):
            if not is_plain_name(name):
                raise ValueError(f"{name!r} is not the name of a file inside the folder")


@dataclass(frozen=True)
class Stage:
    """A hidden folder `place` in which results for `folder` are made; `token` is what the user's state knows it by."""

    folder: Path
    place: Path
    token: str

    @property
    def results(self) -> Path:
        """The folder that files are written into."""
        return self.place / RESULTS

    def claim(self) -> bool:
        """Let the user's state folder know the stage; False where it cannot."""
        return remember(_STAGES, self.token, self._fact(None))

    def seal(self, journal: Journal) -> None:
        """Declare the results complete: from here on they are finished or undone together with their database."""
        self._write_journal(journal)
        self.results.rename(self.place / PREPARED)
        to_disk(self.place)

    def decide(self) -> None:
        """Let sealed results take their place, whatever happens from here on."""
        (self.place / PREPARED).rename(self.place / READY)
        to_disk(self.place)

    def _write_journal(self, journal: Journal) -> None:
        journal.refuse_odd_names()
        text = json.dumps(asdict(journal), ensure_ascii=False)
        path = self.place / JOURNAL
        path.write_text(text, encoding="utf-8")
        to_disk(path)
        remember(_STAGES, self.token, self._fact(_sha256(text)))

    def own_journal(self) -> Journal:
        """The journal of a stage that this process holds and sealed itself."""
        return _journal_of((self.place / JOURNAL).read_text(encoding="utf-8"))

    def checked_journal(self) -> Journal:
        """The journal that an earlier process left; raises OutputError for one that is damaged or was changed."""
        fact = recall(_STAGES, self.token) or {}
        try:
            with (self.place / JOURNAL).open(encoding="utf-8") as stream:
                text = stream.read(_LARGEST)
            if _sha256(text) != fact.get("journal"):
                raise ValueError("it was changed")
            return _journal_of(text)
        except (OSError, ValueError, KeyError, TypeError, RecursionError) as error:
            raise OutputError(
                f"an earlier command was stopped while it wrote into {self.folder}, and its journal in {self.place} is "
                "damaged. Nothing was changed: remove that folder, and run the earlier command again."
            ) from error

    @property
    def state(self) -> str:
        """How far the results are: "results", "prepared" or "ready"."""
        return next((word for word in (READY, PREPARED) if (self.place / word).is_dir()), RESULTS)

    def forget(self) -> None:
        """Let the user's state folder forget the stage."""
        forget(_STAGES, self.token)

    def _fact(self, journal: str | None) -> dict[str, Any]:
        return {
            "folder": str(self.folder.resolve()),
            "stage": self.place.name,
            "user": _user(),
            "host": platform.node(),
            "journal": journal,
        }


def _journal_of(text: str) -> Journal:
    told = json.loads(text)
    journal = Journal(tuple(told["files"]), tuple(told["gone"]), told["target"], told["database"])
    journal.refuse_odd_names()
    return journal


def left_stages(folder: Path) -> Iterable[Stage]:
    """The stages in a folder that this user made on this machine, in processes that no longer live; changes nothing."""
    try:
        paths = sorted(path for path in folder.iterdir() if path.name.startswith(PREFIX))
    except OSError:
        return
    for path in paths:
        stage = _ours(path, folder)
        if stage is not None and not _is_alive(path):
            yield stage


def _ours(path: Path, folder: Path) -> Stage | None:
    """The stage at a path, if the user's state folder knows it as its own."""
    name = _NAME.fullmatch(path.name)
    try:
        seen = path.lstat()
    except OSError:
        return None
    if name is None or not S_ISDIR(seen.st_mode) or (hasattr(os, "getuid") and seen.st_uid != os.getuid()):
        return None
    stage, fact = Stage(folder, path, name[1]), recall(_STAGES, name[1])
    return stage if fact is not None and {**fact, "journal": None} == stage._fact(None) else None


def _is_alive(path: Path) -> bool:
    """Whether the process that made a stage still holds its lock."""
    try:
        descriptor = os.open(path / OWNER, os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0))
    except FileNotFoundError:
        return time.time() - path.stat().st_mtime < _GRACE
    except OSError:
        return True
    try:
        return try_lock(descriptor) is False
    finally:
        os.close(descriptor)


def is_plain_name(name: object) -> bool:
    """Whether a name is a relative path that stays inside its folder, written in the one plain way."""
    if not isinstance(name, str) or not name or "\x00" in name:
        return False
    path = Path(name)
    return not path.anchor and path.as_posix() == name and ".." not in path.parts


def refuse_link(path: Path) -> None:
    """Raise OutputError where a link is in the place of what is to be written."""
    if path.is_symlink():
        raise OutputError(
            f"{path} is a link to {path.readlink()}. Nothing was written: name the place itself, or remove the link."
        )


def refuse_links(folder: Path, names: Iterable[str]) -> None:
    """Raise OutputError where a file would be written, or removed, by way of a link inside the folder."""
    seen: set[Path] = set()
    for name in names:
        path = folder
        for step in Path(name).parts:
            path = path / step
            if path not in seen:
                seen.add(path)
                refuse_link(path)


def to_disk(path: Path) -> None:
    """Let the disk keep a file, or which files a folder holds."""
    with contextlib.suppress(PermissionError):  # some systems open no folders
        descriptor = os.open(path, os.O_RDONLY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)


def _sha256(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()


def _user() -> str:
    return str(os.getuid()) if hasattr(os, "getuid") else os.environ.get("USERNAME", "")
