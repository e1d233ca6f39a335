"""One process at a time writes into a folder; the other waits a little, and then says who writes."""

import os
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from gauger.errors import OutputError
from gauger.tables import locked
from gauger.tables.folder_locks import LOCK

_HOLDING = """
import sys
from pathlib import Path
from gauger.tables import locked
with locked(Path(sys.argv[1])):
    print("held", flush=True)
    sys.stdin.readline()
"""


@pytest.mark.slow
def test_a_second_process_is_told_who_holds_the_lock_and_goes_on_when_it_is_free(tmp_path: Path) -> None:
    with subprocess.Popen(
        [sys.executable, "-c", _HOLDING, str(tmp_path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as other:
        other.stdout.readline()
        told = rf"is being written by process {other.pid} \(.*\) since \d\d:\d\d:\d\d"
        with pytest.raises(OutputError, match=told), locked(tmp_path, patience=0.0):
            raise AssertionError("two have the lock")
        other.stdin.write("\n")
        other.stdin.flush()
        with locked(tmp_path, patience=30.0):
            assert (tmp_path / LOCK).exists()
    assert not (tmp_path / LOCK).exists()


@pytest.mark.slow
def test_the_lock_of_a_killed_process_is_free(tmp_path: Path) -> None:
    with subprocess.Popen(
        [sys.executable, "-c", _HOLDING, str(tmp_path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as other:
        other.stdout.readline()
        other.kill()
        other.wait()
    assert (tmp_path / LOCK).exists()
    with locked(tmp_path, patience=0.0):
        pass
    assert not (tmp_path / LOCK).exists()


def test_who_has_the_lock_may_take_it_again_and_another_thread_may_not(tmp_path: Path) -> None:
    told: list[str] = []

    def other() -> None:
        try:
            with locked(tmp_path, patience=0.0):
                told.append("got it")
        except OutputError as error:
            told.append(str(error))

    with locked(tmp_path), locked(tmp_path / ".." / tmp_path.name, patience=0.0):
        thread = threading.Thread(target=other)
        thread.start()
        thread.join()
    assert len(told) == 1
    assert f"process {os.getpid()}" in told[0]


@pytest.mark.parametrize("text", ["", "{", "[]", '{"pid": "x"}', '{"pid": 1, "command": "y", "since": "never"}'])
def test_a_lock_that_says_nonsense_is_another_process(text: str, tmp_path: Path) -> None:
    import fcntl

    with (tmp_path / LOCK).open("w") as stream:
        fcntl.flock(stream, fcntl.LOCK_EX)
        stream.write(text)
        stream.flush()
        with pytest.raises(OutputError, match="is being written by another process"), locked(tmp_path, patience=0.0):
            pass


def test_a_link_in_the_place_of_the_lock_is_not_followed(tmp_path: Path) -> None:
    (tmp_path / "private").write_text("keep")
    (tmp_path / LOCK).symlink_to(tmp_path / "private")
    with pytest.raises(OutputError, match=r"cannot be used as a lock: .* Remove it"), locked(tmp_path):
        pass
    assert (tmp_path / "private").read_text() == "keep"
