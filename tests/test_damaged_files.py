"""Damaged files of every format: one message or a true result, whatever the accident. `benchmarks/fuzz.py` does
more."""

from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess

from benchmarks.fuzz import run, run_commands

Run = Callable[..., "CompletedProcess[str]"]


def test_no_damaged_file_ends_in_a_traceback_a_hang_or_another_answer(tmp_path: Path) -> None:
    ends, findings = run(seed=11, count=120, folder=tmp_path)
    assert findings == []
    assert min(ends["done"], ends["told"]) > 20


def test_the_command_answers_damaged_files_with_one_message(command: Run, tmp_path: Path) -> None:
    def inside(words: list[str], _folder: Path) -> tuple[int, bytes]:
        shown = command(*words)
        return shown.returncode, (shown.stdout + shown.stderr).encode()

    assert run_commands(seed=12, count=12, folder=tmp_path, command=inside) == []
