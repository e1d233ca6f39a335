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
from pathlib import Path

from benchmarks.mutants.contexts import SOURCES
from benchmarks.mutants.operators import Mutant
from benchmarks.mutants.traces import KEPT, ROOT, Traces

PATIENCE = 3.0
"""How many times longer than alone the tests of a mutant may take before it counts as caught in an endless loop."""

STARTING = 30.0
"""Seconds on top for the imports, and for loops that are compiled again."""

_LOOPS = tuple(ROOT / "tests" / name for name in ("algorithms", "clustering"))
"""The tests that try loops, which take a hundred times as long when they are interpreted."""


@dataclass(frozen=True)
class Verdict:
    """What the tests said of a mutant."""

    mutant: Mutant
    caught: bool
    why: str


def try_all(mutants: Sequence[Mutant], folders: Sequence[Path], seconds: float) -> Iterator[Verdict]:
    """Try each mutant, in any order, by the tests below some folders, by so many seconds of them at most."""
    for interpreted in (False, True):
        own = [mutant for mutant in mutants if mutant.compiled is interpreted]
        if own:
            traces = Traces(interpreted, _LOOPS if interpreted else tuple(folders))
            traces.bring_up_to_date()
            yield from _side_by_side(own, traces, seconds)


def _side_by_side(mutants: Sequence[Mutant], traces: Traces, seconds: float) -> Iterator[Verdict]:
    tasks: queue.SimpleQueue[tuple[Mutant, list[tuple[str, float]]]] = queue.SimpleQueue()
    done: queue.SimpleQueue[Verdict | Exception] = queue.SimpleQueue()
    for mutant in mutants:
        tasks.put((mutant, _affordable(traces.tests_of(mutant), seconds)))
    lanes = [_Lane(number, traces) for number in range(os.cpu_count() or 1)]
    for lane in lanes:
        threading.Thread(target=lane.work, args=(tasks, done), daemon=True).start()
    for _ in mutants:
        verdict = done.get()
        if isinstance(verdict, Exception):
            raise verdict
        yield verdict
    for lane in lanes:
        lane.close()


def _affordable(tests: list[tuple[str, float]], budget: float) -> list[tuple[str, float]]:
    chosen, left = [], budget
    for test, seconds in tests:
        if left < seconds:
            continue
        chosen.append((test, seconds))
        left -= seconds
    return chosen or tests[:1]


class _Lane:
    """A copy of the sources, and the processes that try mutants in it: with our modules loaded already, or without."""

    def __init__(self, number: int, traces: Traces) -> None:
        self._tree = KEPT / f"lane-{number}"
        self._traces = traces
        self._processes: dict[str, subprocess.Popen[str]] = {}

    def _process(self, kind: str) -> "subprocess.Popen[str]":
        if not self._processes:
            self._copy_sources()
        if kind not in self._processes:
            self._processes[kind] = subprocess.Popen(
                [sys.executable, Path(__file__).with_name("worker.py"), self._tree, kind],
                env={**self._traces.environment, "PYTHONPATH": str(self._tree / "src")},
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
            )
        return self._processes[kind]

    def _copy_sources(self) -> None:
        shutil.rmtree(self._tree, ignore_errors=True)
        self._tree.mkdir(parents=True)
        copied = ("src", "tests")
        for name in copied:
            shutil.copytree(ROOT / name, self._tree / name, copy_function=shutil.copy2)
        for path in ROOT.iterdir():
            if path.name not in (*copied, ".git", KEPT.name):
                (self._tree / path.name).symlink_to(path)

    def work(
        self,
        tasks: "queue.SimpleQueue[tuple[Mutant, list[tuple[str, float]]]]",
        done: "queue.SimpleQueue[Verdict | Exception]",
    ) -> None:
        """Take mutants until there are none left."""
        while True:
            try:
                mutant, tests = tasks.get_nowait()
            except queue.Empty:
                return
            try:
                done.put(self._judged(mutant, tests))
            except Exception as error:
                done.put(error)
                raise

    def _judged(self, mutant: Mutant, tests: list[tuple[str, float]]) -> Verdict:
        if not tests:
            return Verdict(mutant, False, "no test runs it")
        limit = STARTING + PATIENCE * sum(seconds for _, seconds in tests)
        source = mutant.source((SOURCES / mutant.path).read_bytes()).decode()
        task = {
            "path": str(mutant.path),
            "source": source,
            "function": mutant.function,
            "tests": [test for test, _ in tests],
            "limit": limit,
        }
        process = self._process("loaded" if mutant.function else "bare")
        assert process.stdin is not None
        assert process.stdout is not None
        print(json.dumps(task), file=process.stdin, flush=True)
        answer = json.loads(process.stdout.readline())
        if answer["code"] is None:
            return Verdict(mutant, True, "endless")
        if answer["code"] < 0:
            return Verdict(mutant, True, f"ended by signal {-answer['code']}")
        # Tests passed, or failed, or could not be imported; where pytest could not begin, an import fails for all.
        if answer["code"] not in ((0, 1, 2) if mutant.function else (0, 1, 2, 4)):
            raise RuntimeError(f"the tests of {mutant} could not be run ({answer}): {tests}")
        return Verdict(mutant, answer["code"] != 0, answer["test"] or f"{len(tests)} tests pass")

    def close(self) -> None:
        """End the processes."""
        for process in self._processes.values():
            if process.stdin is not None:
                process.stdin.close()
            process.wait()
