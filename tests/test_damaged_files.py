"""Damaged files of every format: one message or a true result, whatever the accident. `benchmarks/fuzz.py` does
more."""

from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess

import pytest

from benchmarks.fuzz import run, run_commands
from tests.examples import thoroughly

Run = Callable[..., "CompletedProcess[str]"]


@pytest.mark.parametrize("count", thoroughly([24, 120]))
def test_no_damaged_file_ends_in_a_traceback_a_hang_or_another_answer(count: int, tmp_path: Path) -> None:
    ends, findings = run(seed=11, count=count, folder=tmp_path)
    assert findings == []
    assert min(ends["done"], ends["told"]) > count // 6


@pytest.mark.slow
def test_the_command_answers_damaged_files_with_one_message(command: Run, tmp_path: Path) -> None:
    def inside(words: list[str], _folder: Path) -> tuple[int, bytes]:
        shown = command(*words)
        return shown.returncode, (shown.stdout + shown.stderr).encode()

    assert run_commands(seed=12, count=12, folder=tmp_path, command=inside) == []
