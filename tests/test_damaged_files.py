"""Damaged files of every format: one message or a true result, whatever the accident. `benchmarks/fuzz.py` does
more."""

from pathlib import Path

from benchmarks.fuzz import run, run_commands


def test_no_damaged_file_ends_in_a_traceback_a_hang_or_another_answer(tmp_path: Path) -> None:
    ends, findings = run(seed=11, count=120, folder=tmp_path)
    assert findings == []
    assert min(ends["done"], ends["told"]) > 20


def test_the_command_answers_damaged_files_with_one_message(tmp_path: Path) -> None:
    assert run_commands(seed=12, count=4, folder=tmp_path) == []
