"""What Gauger remembers for a user between commands: one small JSON file per fact, in the user's own state folder."""

import contextlib
import json
import os
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from platformdirs import user_state_path

_LARGEST = 1 << 20
"""Bytes of the largest fact that is read; chosen by us, far above what is written."""


def state_folder() -> Path:
    """The user's own folder for what Gauger remembers; it need not exist."""
    return user_state_path("gauger", appauthor=False)


def remember(kind: str, name: str, fact: Mapping[str, Any]) -> bool:
    """Keep a fact under a name, on the disk and for the user's eyes only; False where the folder cannot be written."""
    folder = state_folder() / kind
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        descriptor, written = tempfile.mkstemp(prefix=".", dir=folder)
        try:
            with os.fdopen(descriptor, "w", encoding="utf-8") as stream:
                json.dump(fact, stream, ensure_ascii=False)
                stream.flush()
                os.fsync(stream.fileno())
            os.replace(written, folder / f"{name}.json")
        except BaseException:
            with contextlib.suppress(OSError):
                Path(written).unlink()
            raise
    except OSError:
        return False
    return True


def recall(kind: str, name: str) -> dict[str, Any] | None:
    """The fact kept under a name; None where there is none that can be read."""
    try:
        with (state_folder() / kind / f"{name}.json").open("rb") as stream:
            fact = json.loads(stream.read(_LARGEST))
    except (OSError, ValueError, RecursionError):
        return None
    return fact if isinstance(fact, dict) else None


def forget(kind: str, name: str) -> None:
    """Remove the fact kept under a name, if there is one."""
    with contextlib.suppress(OSError):
        (state_folder() / kind / f"{name}.json").unlink()
