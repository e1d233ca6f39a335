"""Hashes of keys in order, part by part: what shows that a key stands twice, in whatever parts."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from uuid import uuid4

import numpy as np

from gauger.tables import Hashes

_NO_HASHES: Hashes = np.empty(0, dtype=np.uint64)


def in_order(hashes: Sequence[Hashes], scratch: Path | None) -> Hashes | Path:
    """The hashes of several blocks in order: in memory, or in a file of their own in a `scratch` folder."""
    ordered = np.sort(np.concatenate([_NO_HASHES, *hashes]))
    if scratch is None:
        return ordered
    path = scratch / f"{uuid4().hex}.hashes"
    ordered.tofile(path)
    return path


@dataclass(frozen=True, eq=False)
class KeyedPart:
    """What was `found` of a part of a table, and the hashes of its keys in order: in memory, or in a file."""

    found: Any
    hashes: Hashes | Path

    def hashes_between(self, low: int, high: int) -> Hashes:
        """The hashes from `low` to before `high`, in order."""
        if isinstance(self.hashes, np.ndarray):
            hashes = self.hashes
        else:
            hashes = np.memmap(self.hashes, np.uint64, "r") if self.hashes.stat().st_size else _NO_HASHES
        start = int(np.searchsorted(hashes, np.uint64(low)))
        stop = len(hashes) if high >= 2**64 else int(np.searchsorted(hashes, np.uint64(high)))
        return np.array(hashes[start:stop])
