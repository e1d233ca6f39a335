"""Try mutants side by side, each lane in a copy of the sources of its own."""

import json
import os
import queue
import shutil
import subprocess
import sys
import threading
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from benchmarks.mutants.contexts import SOURCES
from benchmarks.mutants.operators import Mutant
from benchmarks.mutants.traces import KEPT, ROOT, Traces

BUDGET = 60.0
"""Seconds of tests that a mutant has to survive, the quickest first: some lines are run by thousands. Chosen by us."""

PATIENCE = 3.0
"""How many times longer than alone the tests of a mutant may take before it counts as caught in an endless loop."""

STARTING = 30.0
"""Seconds on top for the imports, and for loops that are compiled again."""


@dataclass(frozen=True)
class Verdict:
    """What the tests said of a mutant."""

    mutant: Mutant
    caught: bool
    why: str


def try_all(mutants: Sequence[Mutant]) -> Iterator[Verdict]:
    """Try each mutant, in any order."""
    for interpreted in (False, True):
        own = [mutant for mutant in mutants if mutant.compiled is interpreted]
        if own:
            traces = Traces(interpreted)
            traces.bring_up_to_date()
            yield from _side_by_side(own, traces)


def _side_by_side(mutants: Sequence[Mutant], traces: Traces) -> Iterator[Verdict]:
    tasks: queue.SimpleQueue[tuple[Mutant, list[tuple[str, float]]]] = queue.SimpleQueue()
    done: queue.SimpleQueue[Verdict] = queue.SimpleQueue()
    for mutant in mutants:
        tasks.put((mutant, _affordable(traces.tests_of(mutant))))
    lanes = [_Lane(number, traces) for number in range(os.cpu_count() or 1)]
    for lane in lanes:
        threading.Thread(target=lane.work, args=(tasks, done), daemon=True).start()
    for _ in mutants:
        yield done.get()
    for lane in lanes:
        lane.close()


def _affordable(tests: list[tuple[str, float]]) -> list[tuple[str, float]]:
    chosen, left = [], BUDGET
    for test, seconds in tests:
        if left < seconds:
            break
        chosen.append((test, seconds))
        left -= seconds
    return chosen or tests[:1]


class _Lane:
    """A copy of the sources and the process that tries mutants in it."""

    def __init__(self, number: int, traces: Traces) -> None:
        self._tree = KEPT / f"lane-{number}"
        self._traces = traces

    @cached_property
    def _process(self) -> "subprocess.Popen[str]":
        shutil.rmtree(self._tree, ignore_errors=True)
        self._tree.mkdir(parents=True)
        shutil.copytree(SOURCES, self._tree / "src", copy_function=shutil.copy2)
        for path in ROOT.iterdir():
            if path.name not in ("src", ".git", KEPT.name):
                (self._tree / path.name).symlink_to(path)
        return subprocess.Popen(
            [sys.executable, Path(__file__).with_name("worker.py"), self._tree],
            env={**self._traces.environment, "PYTHONPATH": str(self._tree / "src")},
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )

    def work(
        self,
        tasks: "queue.SimpleQueue[tuple[Mutant, list[tuple[str, float]]]]",
        done: "queue.SimpleQueue[Verdict]",
    ) -> None:
        """Take mutants until there are none left."""
        while True:
            try:
                mutant, tests = tasks.get_nowait()
            except queue.Empty:
                return
            done.put(self._judged(mutant, tests))

    def _judged(self, mutant: Mutant, tests: list[tuple[str, float]]) -> Verdict:
        if not tests:
            return Verdict(mutant, False, "no test runs it")
        limit = STARTING + PATIENCE * sum(seconds for _, seconds in tests)
        source = mutant.source((SOURCES / mutant.path).read_bytes()).decode()
        task = {"path": str(mutant.path), "source": source, "tests": [test for test, _ in tests], "limit": limit}
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        print(json.dumps(task), file=self._process.stdin, flush=True)
        answer = json.loads(self._process.stdout.readline())
        if answer["code"] is None:
            return Verdict(mutant, True, "endless")
        if answer["code"] == 5:
            raise RuntimeError(f"no test was found for {mutant}: {tests}")
        return Verdict(mutant, answer["code"] != 0, answer["test"] or f"{len(tests)} tests pass")

    def close(self) -> None:
        """End the process."""
        if "_process" in self.__dict__ and self._process.stdin is not None:
            self._process.stdin.close()
            self._process.wait()
