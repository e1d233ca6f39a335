"""A real PostgreSQL of the tests' own: a cluster in a temporary folder, on a socket, with a password, one per run."""

import fcntl
import os
import pwd
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

USER, PASSWORD = "analyst", "gate/9:pear@door"
NEEDED = "GAUGER_NEEDS_POSTGRES"
MEETING = "GAUGER_POSTGRES_MEETING"
"""The variables that say that it must be there, and in which folder whoever uses it meets."""


def find_programs() -> Path | None:
    """The folder of Debian's PostgreSQL programs, the newest version's, or None."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda path: int(path.parts[-3]))
    return found[-1].parent if found else None


@contextmanager
def shared_postgres(programs: Path, meeting: Path) -> Iterator[Path]:
    """The cluster of everyone who meets in a folder: the first starts it, the last stops it.

    The value is the folder of its socket.
    """
    with _alone(meeting):
        users = _users(meeting)
        folder = Path(users.pop(0)) if users else _started(programs)
        _note(meeting, folder, [*users, str(os.getpid())])
    try:
        yield folder
    finally:
        with _alone(meeting):
            users = _users(meeting)[1:]
            users.remove(str(os.getpid()))
            _note(meeting, folder, users)
            if not users:
                _stop(programs, folder)


@contextmanager
def _alone(meeting: Path) -> Iterator[None]:
    with (meeting / "postgres.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def _users(meeting: Path) -> list[str]:
    """The folder of the cluster and the processes that use it, or nothing when it is not running."""
    kept = meeting / "postgres.users"
    return kept.read_text().split("\n") if kept.exists() else []


def _note(meeting: Path, folder: Path, users: list[str]) -> None:
    kept = meeting / "postgres.users"
    if users:
        kept.write_text("\n".join([str(folder), *users]))
    else:
        kept.unlink()


def _started(programs: Path) -> Path:
    owner = _owner()
    folder = Path(tempfile.mkdtemp(prefix="gauger-pg-", dir="/tmp"))
    (folder / "password").write_text(PASSWORD)
    for path in (folder, folder / "password"):
        shutil.chown(path, owner)
    data = folder / "data"
    words = ("-U", USER, "-A", "scram-sha-256", "--no-sync", "--pwfile", folder / "password")
    _run(owner, programs / "initdb", "-D", data, *words)
    settings = f"-k {folder} -c listen_addresses='' -c fsync=off"
    _run(owner, programs / "pg_ctl", "-D", data, "-w", "-o", settings, "-l", folder / "log", "start")
    return folder


def _stop(programs: Path, folder: Path) -> None:
    _run(_owner(), programs / "pg_ctl", "-D", folder / "data", "-w", "-m", "immediate", "stop")
    shutil.rmtree(folder, ignore_errors=True)


def _owner() -> str:
    """PostgreSQL refuses to run as root: its own user then, else who we are."""
    return "postgres" if os.geteuid() == 0 else pwd.getpwuid(os.geteuid()).pw_name


def _run(owner: str, *command: object) -> None:
    words = [str(word) for word in command]
    if os.geteuid() == 0:
        words = ["runuser", "-u", owner, "--", *words]
    done = subprocess.run(words, cwd="/tmp", stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, timeout=120)
    if done.returncode:
        raise RuntimeError(f"{' '.join(words)}: {done.stderr}")
