"""Tries mutants in one copy of the sources: a child process each, so that nothing of one is left for the next.

Each line that comes in is a task in JSON, each line that goes out its verdict.
"""

import contextlib
import gc
import importlib
import json
import os
import pkgutil
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from types import CodeType, FunctionType

import pytest

OTHERS = (
    "duckdb",
    "hypothesis",
    "matplotlib.figure",
    "numba",
    "pandas",
    "pyarrow.parquet",
    "scipy.stats",
    "sqlalchemy",
)
"""What tests import of others: loaded once, before the children part."""


Functions = dict[tuple[str, str, int], list[FunctionType]]


class _FirstFailure:
    """Says which test failed first."""

    def __init__(self, pipe: int) -> None:
        self._pipe = pipe

    def pytest_runtest_logreport(self, report) -> None:  # type: ignore[no-untyped-def]
        if report.failed:
            os.write(self._pipe, report.nodeid.encode())


def try_one(tree: Path, functions: Functions, task: dict[str, object]) -> dict[str, object]:
    """Run the tests of a task with its change in place: in the file, and in the function where it is loaded."""
    path = tree / "src" / str(task["path"])
    with _changed(path, str(task["source"])):
        reading, writing = os.pipe()
        began = time.monotonic()
        child = os.fork()
        if not child:
            os.close(reading)
            if task["function"]:
                _swap_code(functions, path, str(task["source"]), *task["function"])  # type: ignore[misc]
            _run_tests(tree, task["tests"], writing)  # type: ignore[arg-type]
        os.close(writing)
        code = _wait(child, float(task["limit"]))  # type: ignore[arg-type]
        with os.fdopen(reading) as pipe:
            failed = pipe.read() if code is not None else ""
        return {"code": code, "test": failed, "seconds": time.monotonic() - began}


def _swap_code(functions: Functions, path: Path, source: str, name: str, line: int) -> None:
    """Give every function that was made of the old code the new one."""
    (code,) = [
        one
        for one in _codes(compile(source, str(path), "exec"))
        if (one.co_qualname, one.co_firstlineno) == (name, line)
    ]
    for one in functions[str(path), name, line]:
        # A mutant without its `super()` has nothing of the class around it, but the function still has.
        one.__code__ = code.replace(co_freevars=one.__code__.co_freevars)


def _functions_below(folder: Path) -> Functions:
    """Every function of our own that is loaded, by its file, name and line."""
    found: Functions = {}
    for one in gc.get_objects():
        if isinstance(one, FunctionType) and one.__code__.co_filename.startswith(str(folder)):
            code = one.__code__
            found.setdefault((code.co_filename, code.co_qualname, code.co_firstlineno), []).append(one)
    return found


def _codes(code: CodeType) -> Iterator[CodeType]:
    for one in code.co_consts:
        if isinstance(one, CodeType):
            yield one
            yield from _codes(one)


def _run_tests(tree: Path, tests: list[str], pipe: int) -> None:
    os.setsid()
    nothing = os.open(os.devnull, os.O_RDWR)
    for stream in (0, 1, 2):
        os.dup2(nothing, stream)
    os.chdir(tree)
    code = 3
    try:
        words = ["-x", "-q", "-m", "", "-p", "no:cacheprovider", "-W", "ignore::pytest.PytestAssertRewriteWarning"]
        code = int(pytest.main([*words, *tests], plugins=[_FirstFailure(pipe)]))
    except BaseException as error:  # noqa: BLE001 - whatever it is, the lane must hear of it
        os.write(pipe, repr(error).encode())
    os._exit(code)


def _wait(child: int, limit: float) -> int | None:
    """The child's exit code, or None when it had to be killed."""
    until = time.monotonic() + limit
    while time.monotonic() < until:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            _kill_group(child)
            return os.waitstatus_to_exitcode(status)
        time.sleep(0.02)
    _kill_group(child)
    os.waitpid(child, 0)
    return None


def _kill_group(child: int) -> None:
    with contextlib.suppress(ProcessLookupError):
        os.killpg(child, signal.SIGKILL)


@contextlib.contextmanager
def _changed(path: Path, source: str) -> Iterator[None]:
    """The file with its change, and afterwards as it was, with the loops that were compiled for it."""
    kept = path.with_suffix(".kept")
    loops = path.parent / "__pycache__"
    shutil.copy2(path, kept)
    compiled = {one: one.read_bytes() for one in loops.glob(f"{path.stem}.*.nb[ic]")}
    path.write_text(source, encoding="utf-8")
    try:
        yield
    finally:
        kept.replace(path)
        for one in loops.glob(f"{path.stem}.*"):
            one.unlink()
        for one, content in compiled.items():
            one.write_bytes(content)


@contextlib.contextmanager
def _one_postgres() -> Iterator[None]:
    """A PostgreSQL for all children, where there is one: starting it takes longer than most tests."""
    own_postgres = importlib.import_module("own_postgres")
    programs = own_postgres.find_programs()
    if programs is None:
        yield
        return
    with tempfile.TemporaryDirectory() as meeting, own_postgres.shared_postgres(programs, Path(meeting)):
        os.environ[own_postgres.MEETING] = meeting
        yield


def _load(*, ours: bool) -> None:
    """Import what tests import, and load the compiled loops, so that children need not."""
    names = list(OTHERS)
    if ours:
        gauger = importlib.import_module("gauger")
        names += [one.name for one in pkgutil.walk_packages(gauger.__path__, "gauger.") if "__main__" not in one.name]
    for name in names:
        with contextlib.suppress(ImportError):
            importlib.import_module(name)
    if ours and not os.environ.get("NUMBA_DISABLE_JIT"):
        for half in importlib.import_module("compiled_loops").HALVES:
            half()


def main() -> None:
    """Take tasks until there are no more."""
    tree = Path(sys.argv[1])
    sys.dont_write_bytecode = True
    sys.path.insert(0, str(tree / "tests"))
    _load(ours=sys.argv[2] == "loaded")
    functions = _functions_below(tree / "src")
    gc.freeze()
    with _one_postgres():
        for line in sys.stdin:
            print(json.dumps(try_one(tree, functions, json.loads(line))), flush=True)


if __name__ == "__main__":
    main()
