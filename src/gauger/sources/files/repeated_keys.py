"""Whether a key repeats, over all parts: hashes are compared first, keys only where hashes are equal."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Any
from uuid import uuid4

import numpy as np
import pandas as pd
import pyarrow as pa

from gauger.columns import KeyForm
from gauger.errors import KeyColumnError
from gauger.sources.files.crews import Held, PartsAtWork
from gauger.sources.files.file_parts import BlockPart
from gauger.sources.files.key_columns import as_results_have
from gauger.tables import Hashes, ReadingRules, hashes_of
from gauger.wording import listed

_NO_HASHES: Hashes = np.empty(0, dtype=np.uint64)
_TOGETHER = 2**25
"""Hashes that are compared at a time: a bound on memory."""
_LOOKED_AT = 10_000
"""Equal hashes whose keys are looked at: enough to tell what is wrong."""


def in_order(hashes: Sequence[Hashes], scratch: Path | None) -> Hashes | Path:
    """The hashes of several blocks in order: in memory, or in a file in a `scratch` folder."""
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


@dataclass(frozen=True, eq=False)
class _Equal:
    """Hashes that repeat."""

    hashes: Hashes

    def __add__(self, other: "_Equal") -> "_Equal":
        return _Equal(np.concatenate([self.hashes, other.hashes]))


@dataclass(frozen=True, eq=False)
class _Where:
    """Keys with a suspicious hash: which, in which file, in which row of what was read of it."""

    table: pd.DataFrame

    def __add__(self, other: "_Where") -> "_Where":
        return _Where(pd.concat([self.table, other.table]))


def _between(part: KeyedPart, low: int, high: int) -> _Equal:
    return _Equal(part.hashes_between(low, high))


def _equal_of(*parts: _Equal) -> _Equal:
    found = np.sort(np.concatenate([one.hashes for one in parts]))
    return _Equal(np.unique(found[1:][found[1:] == found[:-1]])[:_LOOKED_AT])


def _where(key: str, form: KeyForm, rules: ReadingRules, hashes: Hashes, part: BlockPart) -> _Where:
    found, seen = [], 0
    for block in part.blocks([key], rules):
        rows = np.flatnonzero(np.isin(hashes_of(block[key]), hashes))
        keys = as_results_have(block[key].take(pa.array(rows)), form).cast(pa.string()).to_pylist()
        found.append(pd.DataFrame({"key": keys, "place": part.called, "row": rows + seen}))
        seen += block.num_rows
    return _Where(pd.concat(found) if found else pd.DataFrame(columns=["key", "place", "row"]))


def refuse_repeated_keys(
    key: str, form: KeyForm, work: PartsAtWork, held: Sequence[Held], rules: ReadingRules, rows: int
) -> None:
    """Raise KeyColumnError, with the files at fault, if a key, as results write it, repeats within or across parts."""
    shares = max(1, -(-rows // _TOGETHER))
    ends = [2**64 * share // shares for share in range(shares + 1)]
    equal = _Equal(np.empty(0, dtype=np.uint64))
    for low, high in pairwise(ends):
        own = work.crew.hold("comparing keys", _between, [(one, low, high) for one in held])
        equal += work.crew.total("looking for repeated keys", _equal_of, [tuple(own)])
    if not len(equal.hashes):
        return
    suspects = work.total("looking at repeated keys", _where, key, form, rules, equal.hashes[:_LOOKED_AT]).table
    again = suspects[suspects.duplicated("key")]
    if again.empty:
        return
    files = listed(dict.fromkeys(again["place"]), most=3)
    count = len(again)
    times = f"{count:,} or more rows" if len(equal.hashes) >= _LOOKED_AT else count
    raise KeyColumnError.repeated(key, [], times, files)
