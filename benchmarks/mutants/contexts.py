"""A pytest plugin that keeps which lines each test runs, one file of coverage data per file of tests.

`pytest -p benchmarks.mutants.contexts` with `GAUGER_TRACES` set to a folder. Tests that fail, or take longer than
`GAUGER_TRACE_LIMIT` seconds, leave nothing.
"""

import json
import os
import signal
import time
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from hashlib import sha256
from pathlib import Path
from types import FrameType

import coverage
import pytest

SOURCES = Path(__file__).parents[2] / "src"


class _TooLong(BaseException):
    """Raised inside a test whose time is up."""


def trace_name(tests: Path) -> str:
    """What the data of a file of tests are called: another name when the file changes."""
    return f"{tests.stem}-{sha256(tests.read_bytes()).hexdigest()[:16]}"


class Tracer:
    """The coverage of one file of tests at a time, with the test as its context."""

    def __init__(self, folder: Path, limit: float) -> None:
        self._folder, self._limit = folder, limit
        self._running: tuple[str, coverage.Coverage] | None = None
        self._seconds: dict[str, float] = {}
        self._passed = True

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_protocol(self, item: pytest.Item, nextitem: pytest.Item | None) -> Iterator[None]:
        if self._running is None:
            name = trace_name(item.path)  # as it is now: it may be changed while its tests run
            own = coverage.Coverage(data_file=str(self._folder / f"{name}.lines"), source=[str(SOURCES)])
            own.erase()
            own.start()
            self._running = name, own
        self._running[1].switch_context(item.nodeid)
        self._passed = True
        began = time.monotonic()
        try:
            return (yield)
        finally:
            if self._passed:
                self._seconds[item.nodeid] = time.monotonic() - began
            if nextitem is None or nextitem.path != item.path:
                self._keep()

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_setup(self) -> Iterator[None]:
        with self._in_time():
            return (yield)

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_call(self) -> Iterator[None]:
        with self._in_time():
            return (yield)

    @contextmanager
    def _in_time(self) -> Iterator[None]:
        """Stop what takes longer than it may, if there is a limit."""
        before = signal.signal(signal.SIGALRM, _stop)
        signal.setitimer(signal.ITIMER_REAL, self._limit)
        try:
            yield
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0.0)
            signal.signal(signal.SIGALRM, before)

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        self._passed &= report.passed

    def _keep(self) -> None:
        assert self._running is not None
        name, own = self._running
        own.stop()
        with warnings.catch_warnings(action="ignore"):  # where nothing of ours ran
            own.save()
        (self._folder / f"{name}.json").write_text(json.dumps(self._seconds), encoding="utf-8")
        self._running, self._seconds = None, {}


def _stop(_number: int, _frame: FrameType | None) -> None:
    raise _TooLong


def pytest_configure(config: pytest.Config) -> None:
    """Trace where the tests run: in the workers, or here when there are none."""
    if hasattr(config, "workerinput") or not config.getoption("numprocesses", None):
        folder = Path(os.environ["GAUGER_TRACES"])
        folder.mkdir(parents=True, exist_ok=True)
        config.pluginmanager.register(Tracer(folder, float(os.environ.get("GAUGER_TRACE_LIMIT", "0"))))
