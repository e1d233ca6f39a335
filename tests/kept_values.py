"""Values that take long to make, kept on the disk until anything changes that they are made of."""

import fcntl
import pickle
import sys
from collections.abc import Callable
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import TypeVar

import numba
import numpy as np
import pandas as pd

import gauger

FOLDER = Path(__file__).parents[1] / ".pytest_cache" / "kept"

_COMPUTED_BY = ("algorithms", "choosing", "clustering", "columns", "demo", "features", "segmentation", "tables")
"""The packages that a study of counts imports, from the table of events on."""

Value = TypeVar("Value")


def kept(name: str, make: Callable[[], Value]) -> Value:
    """The value from the disk, made and kept there by the first process that asks for it."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    file = FOLDER / f"{name}-{_what_it_is_made_of()}"
    with (FOLDER / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if file.exists():
            return pickle.loads(file.read_bytes())
        for old in FOLDER.glob(f"{name}-*"):
            old.unlink()
        made = make()
        file.write_bytes(pickle.dumps(made))
        return made


@cache
def _what_it_is_made_of() -> str:
    """A hash of the files that studies are computed by, and of the versions of what they compute with."""
    found = sha256(repr((sys.version, np.__version__, pd.__version__, numba.__version__)).encode())
    sources = Path(gauger.__file__).parent
    files = [path for name in _COMPUTED_BY for path in (sources / name).rglob("*") if path.suffix in (".py", ".csv")]
    for path in sorted([*files, *sources.glob("*.py")]):
        found.update(str(path.relative_to(sources)).encode() + path.read_bytes())
    return found.hexdigest()[:16]
