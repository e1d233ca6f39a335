"""Whether every key stands once, over all parts: hashes are compared first, keys only where hashes are equal."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import pandas as pd
import pyarrow as pa

from gauger.engine.crews import Everyone, Held
from gauger.engine.parts import Part
from gauger.engine.survey import Surveyed
from gauger.errors import KeyColumnError
from gauger.tables import Hashes, ReadingRules, hashes_of
from gauger.wording import listed, plural

_TOGETHER = 2**25
"""Hashes that are compared at a time: a bound on memory."""
_LOOKED_AT = 10_000
"""Equal hashes whose keys are looked at: enough to tell what is wrong."""


@dataclass(frozen=True, eq=False)
class _Equal:
    """Hashes that stand more than once."""

    hashes: Hashes

    def __add__(self, other: "_Equal") -> "_Equal":
        return _Equal(np.concatenate([self.hashes, other.hashes]))


@dataclass(frozen=True, eq=False)
class _Where:
    """Keys with a suspicious hash: which, in which file, in which row of what was read of it."""

    table: pd.DataFrame

    def __add__(self, other: "_Where") -> "_Where":
        return _Where(pd.concat([self.table, other.table]))


def _between(surveyed: Surveyed, low: int, high: int) -> _Equal:
    return _Equal(surveyed.hashes_between(low, high))


def _equal_of(*parts: _Equal) -> _Equal:
    found = np.sort(np.concatenate([one.hashes for one in parts]))
    return _Equal(np.unique(found[1:][found[1:] == found[:-1]])[:_LOOKED_AT])


def _where(key: str, rules: ReadingRules, hashes: Hashes, part: Part) -> _Where:
    found, seen = [], 0
    for block in part.blocks([key], rules):
        rows = np.flatnonzero(np.isin(hashes_of(block[key]), hashes))
        keys = block[key].take(pa.array(rows)).cast(pa.string()).to_pylist()
        found.append(pd.DataFrame({"key": keys, "file": str(part.file), "part": part.number, "row": rows + seen}))
        seen += block.num_rows
    return _Where(pd.concat(found) if found else pd.DataFrame(columns=["key", "file", "part", "row"]))


def refuse_repeated_keys(key: str, everyone: Everyone, held: Sequence[Held], rules: ReadingRules, rows: int) -> None:
    """Raise KeyColumnError, with the files at fault, when a key stands twice in all parts."""
    shares = max(1, -(-rows // _TOGETHER))
    ends = [2**64 * share // shares for share in range(shares + 1)]
    equal = _Equal(np.empty(0, dtype=np.uint64))
    for low, high in pairwise(ends):
        own = everyone.crew.hold("comparing keys", _between, [(one, low, high) for one in held])
        equal += everyone.crew.total("looking for repeated keys", _equal_of, [tuple(own)])
    if not len(equal.hashes):
        return
    suspects = everyone.total("looking at repeated keys", _where, key, rules, equal.hashes[:_LOOKED_AT]).table
    again = suspects[suspects.duplicated("key")]
    if again.empty:
        return
    files = listed(dict.fromkeys(again["file"]), most=3)
    more = " or more" if len(equal.hashes) >= _LOOKED_AT else ""
    raise KeyColumnError(
        f"the key {key!r} repeats: {len(again):,}{more} {plural(len(again), 'row')} too many, in {files}. A key names "
        "each customer once: remove the repeats, or summarise events to one row a customer first (gauger features)."
    )
