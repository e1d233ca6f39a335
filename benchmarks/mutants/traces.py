"""Which tests run a line of a file, the quickest first."""

import ast
import json
import os
import re
import subprocess
import sys
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import coverage

from benchmarks.mutants.contexts import SOURCES, trace_name
from benchmarks.mutants.operators import Mutant

ROOT = SOURCES.parent
KEPT = ROOT / ".mutants"

INTERPRETED_LIMIT = 10.0
"""Seconds a test may take with its loops interpreted: those that take longer judge no loop. Chosen by us."""


@dataclass(frozen=True)
class Traces:
    """What the tests below some folders run, compiled or with every loop interpreted."""

    interpreted: bool
    folders: tuple[Path, ...] = (ROOT / "tests",)

    @property
    def folder(self) -> Path:
        """Where the data are kept."""
        return KEPT / ("interpreted" if self.interpreted else "compiled")

    @property
    def environment(self) -> dict[str, str]:
        """The variables of a process that runs tests this way."""
        own = {"GAUGER_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
        if self.interpreted:  # where compiled loops overflow or divide by zero in silence, NumPy warns
            own |= {"NUMBA_DISABLE_JIT": "1", "PYTEST_ADDOPTS": "-W ignore::RuntimeWarning"}
        return os.environ | own

    def bring_up_to_date(self) -> None:
        """Run the files of tests that changed since they were traced."""
        new = [path for path in self._files if not self._data(path).exists()]
        if not new:
            return
        print(f"tracing {len(new)} files of tests", file=sys.stderr)
        limit = str(INTERPRETED_LIMIT if self.interpreted else 0.0)
        own = {"GAUGER_TRACES": str(self.folder), "GAUGER_TRACE_LIMIT": limit}
        words = ("-q", "-m", "", "-n", "auto", "--dist", "loadfile", "-p", "benchmarks.mutants.contexts")
        subprocess.run(
            [sys.executable, "-m", "pytest", *words, *map(str, new)],
            cwd=ROOT,
            env={**self.environment, **own},
            stdout=subprocess.DEVNULL,
            check=False,
        )

    def tests_of(self, mutant: Mutant) -> list[tuple[str, float]]:
        """The tests that run the mutant's lines, with their seconds, in the order they are tried in.

        Those of its package come first, and of each function one case before its others; then the quickest.
        """
        path = str(SOURCES / mutant.path)
        found = self._of_lines(path).get(mutant.line, set()) if mutant.function else self._of_users(mutant)
        seconds = self._seconds
        own = _own_tests(mutant)
        known = sorted(((test, seconds[test]) for test in found if test in seconds), key=lambda one: one[1])
        cases: Counter[str] = Counter()
        order = {}
        for test, own_seconds in known:
            function = test.partition("[")[0]
            order[test] = (not test.startswith(own), cases[function], own_seconds)
            cases[function] += 1
        return sorted(known, key=lambda one: order[one[0]])

    def _of_users(self, mutant: Mutant) -> set[str]:
        """The tests of the package and the file, and of lines that say a name which is given its value on import."""
        source = (SOURCES / mutant.path).read_text()
        names = _names_made_at(source, mutant.line)
        found: set[str] = set()
        for file in (SOURCES / mutant.path).parents[0].rglob("*.py") if names else ():
            lines, text = self._of_lines(str(file)), file.read_text()
            said = {
                number
                for number, line in enumerate(text.splitlines(), 1)
                if any(re.search(rf"\b{name}\b", line) for name in names)
            }
            for number in said | _bodies_with_defaults_on(text, said):
                found |= lines.get(number, set())
        found |= set().union(*self._of_lines(str(SOURCES / mutant.path)).values(), set())
        return found | {test for test in self._seconds if test.startswith(_own_tests(mutant))}

    @cache  # noqa: B019 - one of each kind lives as long as the process
    def _of_lines(self, path: str) -> dict[int, set[str]]:
        found: dict[int, set[str]] = {}
        for data in self._all_data:
            for line, contexts in data.contexts_by_lineno(path).items():
                found.setdefault(line, set()).update(filter(None, contexts))
        return found

    @property
    @cache  # noqa: B019 - one of each kind lives as long as the process
    def _all_data(self) -> list[coverage.CoverageData]:
        return [_read(path) for path in self._current(".lines")]

    @property
    @cache  # noqa: B019 - one of each kind lives as long as the process
    def _seconds(self) -> dict[str, float]:
        kept: dict[str, float] = {}
        for path in self._current(".json"):
            kept |= json.loads(path.read_text(encoding="utf-8"))
        return kept

    def _current(self, ending: str) -> Iterable[Path]:
        for tests in self._files:
            path = self._data(tests).with_suffix(ending)
            if path.exists():
                yield path

    @property
    def _files(self) -> list[Path]:
        return sorted(path for folder in self.folders for path in folder.rglob("test_*.py"))

    def _data(self, tests: Path) -> Path:
        return self.folder / f"{trace_name(tests)}.json"


def _own_tests(mutant: Mutant) -> str:
    """What the names of the tests of a mutant's package begin with."""
    return f"tests/{mutant.path.parts[1]}/"


def _read(path: Path) -> coverage.CoverageData:
    data = coverage.CoverageData(basename=str(path))
    data.read()
    return data


def _names_made_at(source: str, line: int) -> list[str]:
    """What the statement of a module or a class that runs on import gives a value to."""
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Assign | ast.AnnAssign) and node.lineno <= line <= (node.end_lineno or line):
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            return [target.id for target in targets if isinstance(target, ast.Name)]
    return []


def _bodies_with_defaults_on(source: str, lines: set[int]) -> set[int]:
    """The lines of the functions that give a parameter a default on one of some lines."""
    found: set[int] = set()
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.FunctionDef) and lines & set(range(node.lineno, node.body[0].lineno)):
            found |= set(range(node.body[0].lineno, (node.end_lineno or node.lineno) + 1))
    return found
