"""A real PostgreSQL of the tests' own: a cluster in a temporary folder, on a socket, with a password."""

import os
import pwd
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

USER, PASSWORD, DATABASE = "analyst", "gate/9:pear@door", "shop"
NEEDED = "GAUGER_NEEDS_POSTGRES"


def find_programs() -> Path | None:
    """The folder of Debian's PostgreSQL programs, the newest version's, or None."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda path: int(path.parts[-3]))
    return found[-1].parent if found else None


@contextmanager
def running_postgres(programs: Path) -> Iterator[Path]:
    """Start a cluster and stop it at the end; the value is the folder of its socket."""
    owner = _owner()
    folder = Path(tempfile.mkdtemp(prefix="gauger-pg-", dir="/tmp"))
    try:
        (folder / "password").write_text(PASSWORD)
        for path in (folder, folder / "password"):
            shutil.chown(path, owner)
        data = folder / "data"
        _run(owner, programs / "initdb", "-D", data, "-U", USER, "-A", "scram-sha-256", "--pwfile", folder / "password")
        settings = f"-k {folder} -c listen_addresses='' -c fsync=off"
        _run(owner, programs / "pg_ctl", "-D", data, "-w", "-o", settings, "-l", folder / "log", "start")
        try:
            yield folder
        finally:
            _run(owner, programs / "pg_ctl", "-D", data, "-w", "-m", "immediate", "stop")
    finally:
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
