"""A lock on a folder of results, so that two processes never write into it at once."""

import contextlib
import json
import os
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import datetime
from pathlib import Path

from gauger.errors import OutputError
from gauger.wording import shortened

LOCK = ".gauger-lock"
"""The file that is locked; it says who holds the lock, and goes when the lock is released."""
PATIENCE = 5.0
"""Seconds to wait for another process: long enough for a short command, short enough for a person; chosen by us."""

_TICK = 0.05
"""Seconds between two tries: decides nothing but how soon a free lock is taken."""
_LONGEST_COMMAND = 60
"""Letters of another process's command that are shown; chosen by us."""

_held: ContextVar[frozenset[Path]] = ContextVar("gauger_locked_folders", default=frozenset())


@contextmanager
def locked(folder: Path, *, patience: float = PATIENCE) -> Iterator[None]:
    """Hold the lock of a folder while the block lasts; a block inside that asks for the same lock has it already.

    Raises OutputError, which names the other process, when it does not come free within `patience` seconds. Systems
    without such locks go on without one.
    """
    own = folder.resolve()
    if own in _held.get():
        yield
        return
    try:
        descriptor = _waited_for(own / LOCK, folder, patience)
    except PermissionError:
        yield  # another user's lock, who cannot write our files; or a folder that refuses them soon enough
        return
    except OSError as error:
        if isinstance(error, OutputError):
            raise
        raise OutputError(
            f"{own / LOCK} cannot be used as a lock: {error.strerror}. Remove it, and try again."
        ) from error
    token = _held.set(_held.get() | {own})
    try:
        yield
    finally:
        _held.reset(token)
        with contextlib.suppress(OSError):
            (own / LOCK).unlink()  # before the lock is given up: who waits for this file sees that it is gone
        os.close(descriptor)


def _waited_for(path: Path, folder: Path, patience: float) -> int:
    """The descriptor of the lock's file, locked."""
    last = time.monotonic() + patience
    while True:
        descriptor = _taken(path)
        if descriptor is not None:
            return descriptor
        if time.monotonic() > last:
            raise OutputError(
                f"{folder} is being written by {_holder(path)}. Nothing was changed: wait until it has finished, then "
                "try again."
            )
        time.sleep(_TICK)


def _taken(path: Path) -> int | None:
    """A descriptor that holds the lock; None where another process does, or has just removed the file."""
    descriptor = os.open(path, os.O_RDWR | os.O_CREAT | getattr(os, "O_NOFOLLOW", 0), 0o600)
    try:
        if try_lock(descriptor) is not False and _still_there(path, descriptor):
            os.ftruncate(descriptor, 0)
            os.write(descriptor, json.dumps(this_process()).encode())
            return descriptor
    except BaseException:
        os.close(descriptor)
        raise
    os.close(descriptor)
    return None


def _still_there(path: Path, descriptor: int) -> bool:
    try:
        return os.path.samestat(path.lstat(), os.fstat(descriptor))
    except FileNotFoundError:
        return False


def try_lock(descriptor: int) -> bool | None:
    """Lock a file if nobody else has: whether it was free; None on systems without such locks."""
    try:
        import fcntl
    except ImportError:
        return None
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True


def this_process() -> dict[str, object]:
    """What a lock says about this process: its number, its command, and since when it writes."""
    program = Path(sys.argv[0] or "python").stem
    ours = program in ("gauger", "__main__") and len(sys.argv) > 1
    return {
        "pid": os.getpid(),
        "command": f"gauger {sys.argv[1]}" if ours else program,  # not the rest, which may hold a password
        "since": datetime.now().astimezone().isoformat(timespec="seconds"),
    }


def _holder(path: Path) -> str:
    """The process that holds a lock, as far as its file says."""
    try:
        told = json.loads(path.read_text(encoding="utf-8"))
        since = datetime.fromisoformat(told["since"]).strftime("%H:%M:%S")
        return f"process {int(told['pid'])} ({shortened(str(told['command']), _LONGEST_COMMAND)}) since {since}"
    except (OSError, ValueError, KeyError, TypeError):
        return "another process"
