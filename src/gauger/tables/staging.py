"""Folders that results are made in before they appear: owned while their maker lives, swept by the next run else."""

import contextlib
import json
import os
import shutil
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from gauger.errors import OutputError

PREFIX = ".gauger-"

_LOCK, _RESULTS, _UNLOCKED = "owner", "results", "new-"
_READY, _GONE = "ready", "gone"
"""Results that are complete and on the disk, and the list of files that go when they come."""
_GRACE = 3_600.0
"""A folder without an owner's lock may be just being made for so many seconds."""
_FOR_ALL = (".png", ".svg", ".pdf")
_OWN_FILE, _OWN_FOLDER = 0o600, 0o700
"""Rights of the owner alone."""


@contextmanager
def stage_in(folder: Path) -> Iterator[Path]:
    """A hidden folder inside another, which is gone when the block ends; remains of dead makers are swept first."""
    sweep(folder)
    with _owned(folder) as stage:
        try:
            yield stage / _RESULTS
        finally:
            _remove(stage)


def sweep(folder: Path) -> None:
    """Remove what makers that no longer live have left in a folder; results that were complete take their place."""
    for path in folder.glob(f"{PREFIX}*"):
        if path.is_dir() and not path.is_symlink() and _is_left(path):
            if (path / _READY).is_dir():
                _take_place(path, folder)
            shutil.rmtree(path, ignore_errors=True)


def publish_files(made: Path, folder: Path, gone: Sequence[str]) -> None:
    """Put files in their places together, and remove others: on the disk first, then decided by one rename.

    Who is killed before that rename has changed nothing; after it the next to look into the folder finishes the rest.
    """
    for path in made.rglob("*"):
        if path.is_file() and path.suffix.lower() not in _FOR_ALL:
            path.chmod(_OWN_FILE)
        _to_disk(path)
    stage = made.parent
    (stage / _GONE).write_text(json.dumps(list(gone)), encoding="utf-8")
    _to_disk(stage / _GONE)
    made.rename(stage / _READY)
    _to_disk(stage)
    while True:
        try:
            return _take_place(stage, folder)
        except KeyboardInterrupt:
            continue


def _take_place(stage: Path, folder: Path) -> None:
    """Move what is ready into the folder, and remove what is to go; what was done before is not done again."""
    ready = stage / _READY
    for path in sorted(path for path in ready.rglob("*") if path.is_file()):
        target = folder / path.relative_to(ready)
        target.parent.mkdir(parents=True, exist_ok=True)
        os.replace(path, target)
    for name in json.loads((stage / _GONE).read_text(encoding="utf-8")):
        (folder / name).unlink(missing_ok=True)
    _to_disk(folder)


def publish_folder(made: Path, target: Path) -> None:
    """Put a whole folder in the place of none or of an empty one; its owner alone may look into it."""
    for path in (*made.rglob("*"), made):
        path.chmod(_OWN_FOLDER if path.is_dir() else _OWN_FILE)
        _to_disk(path)
    made.rename(target)
    keep_entries(target.parent)


def keep_entries(folder: Path) -> None:
    """Let the disk keep which files a folder holds."""
    _to_disk(folder)


def refuse_link(path: Path) -> None:
    """Raise OutputError where a link stands in the place of what is to be written."""
    if path.is_symlink():
        raise OutputError(
            f"{path} is a link to {path.readlink()}. Nothing was written: name the place itself, or remove the link."
        )


def _to_disk(path: Path) -> None:
    with contextlib.suppress(PermissionError):  # some systems open no folders
        descriptor = os.open(path, os.O_RDONLY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)


@contextmanager
def _owned(folder: Path) -> Iterator[Path]:
    """A new folder that is locked as long as this process lives, or the block lasts."""
    try:
        new = Path(tempfile.mkdtemp(prefix=f"{PREFIX}{_UNLOCKED}", dir=folder))
        lock = (new / _LOCK).open("w")
    except OSError as error:
        raise OutputError(f"cannot write into {folder}: {error.strerror}. Choose another place.") from error
    with lock:
        _lock(lock.fileno())
        stage = new.with_name(new.name.replace(_UNLOCKED, "", 1))
        new.rename(stage)
        (stage / _RESULTS).mkdir()
        yield stage


def _lock(descriptor: int) -> bool:
    """Take the lock of a file; whether it was free. Systems without such locks leave remains until they are old."""
    try:
        import fcntl
    except ImportError:
        return False
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True


def _is_left(path: Path) -> bool:
    """Whether nobody who lives makes anything here."""
    try:
        with (path / _LOCK).open("r+") as lock:
            locked = not path.name.startswith(f"{PREFIX}{_UNLOCKED}") and _lock(lock.fileno())
    except OSError:
        locked = False
    if locked:
        return True
    with contextlib.suppress(OSError):
        return not (path / _LOCK).exists() and time.time() - path.stat().st_mtime > _GRACE
    return False


def _remove(stage: Path) -> None:
    """Remove what was staged, also when Ctrl-C is pressed again meanwhile."""
    while True:
        try:
            shutil.rmtree(stage, ignore_errors=True)
        except KeyboardInterrupt:
            continue
        return
