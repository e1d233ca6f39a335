"""How long it takes to begin: `import gauger`, and from the shell `--help` and the whole demo."""

import subprocess
import sys
import tempfile
from collections.abc import Iterator

from benchmarks.measuring import Measured, measure


def run() -> Iterator[Measured]:
    """Whole processes, against a process that only imports what the command cannot do without."""
    yield measure(
        "import gauger, with the interpreter",
        lambda: _python("-c", "import gauger"),
        lambda: _python("-c", "pass"),
        "an interpreter that does nothing",
        runs=9,
    )
    yield measure(
        "gauger --help",
        lambda: _python("-m", "gauger", "--help"),
        lambda: _python("-c", "import typer.main"),
        "import typer",
        runs=7,
    )
    with tempfile.TemporaryDirectory() as folder:
        needed = "import duckdb, matplotlib.figure, numba, pandas, pyarrow"
        yield measure(
            "gauger demo, start to finish",
            lambda: _python("-m", "gauger", "demo", "--out", folder, "--replace"),
            lambda: _python("-c", needed),
            "importing pandas, numba, duckdb, matplotlib",
            runs=3,
        )


def _python(*arguments: str) -> None:
    subprocess.run([sys.executable, *arguments], check=True, capture_output=True)
