"""Blocks and jobs: every row once, in order, on any number of threads."""

import os
import subprocess
import sys

import pytest

from gauger.algorithms.compiling import compile_loops
from gauger.algorithms.parallel import map_blocks, map_jobs, thread_count
from tests.heard_steps import heard_steps


def test_blocks_cover_every_row_once_in_order(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("GAUGER_THREADS", "4")
    slices = list(map_blocks(lambda rows: rows, 25, block_rows=10))
    assert [(rows.start, rows.stop) for rows in slices] == [(0, 10), (10, 20), (20, 25)]


def test_jobs_inside_jobs_do_not_wait_for_each_other(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("GAUGER_THREADS", "2")
    nested = map_jobs(lambda start: sum(map_jobs(lambda step: start + step, range(5))), range(6))
    assert list(nested) == [10 + 5 * start for start in range(6)]


def test_a_thread_count_that_is_none_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("GAUGER_THREADS", "many")
    with pytest.raises(ValueError, match="GAUGER_THREADS='many'"):
        thread_count()


@pytest.mark.skipif(not hasattr(os, "fork"), reason="this system has no forks")
def test_a_process_that_parts_after_threads_have_worked_has_threads_of_its_own() -> None:
    code = """
import os, signal
from gauger.algorithms.parallel import map_jobs
assert list(map_jobs(abs, [-1, -2, -3])) == [1, 2, 3]
child = os.fork()
if not child:
    signal.alarm(20)
    os._exit(list(map_jobs(abs, [-4, -5, -6])) != [4, 5, 6])
raise SystemExit(os.waitpid(child, 0)[1])
"""
    subprocess.run([sys.executable, "-c", code], env={**os.environ, "GAUGER_THREADS": "2"}, check=True)


def test_every_loop_that_is_compiled_is_a_step() -> None:
    called: list[str] = []
    with heard_steps() as steps:
        compile_loops(lambda: called.append("a"), lambda: called.append("b"))
    assert called == ["a", "b"]
    assert list(steps.values()) == [[2, 1, 1]]
