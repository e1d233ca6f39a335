"""Some customers of segments that are too rare for a sample to hold."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
import pyarrow as pa

from gauger.algorithms import as_shares
from gauger.columns import to_pandas
from gauger.sources.bottom_rows import BottomRows
from gauger.sources.files.block_placing import Placement
from gauger.sources.files.crews import PartsAtWork
from gauger.sources.files.file_parts import BlockPart
from gauger.tables import hashes_of


@dataclass(frozen=True, eq=False)
class _Rare:
    """Some customers of each rare segment, those whose keys have the smallest hashes."""

    segments: tuple[BottomRows, ...]

    def __add__(self, other: "_Rare") -> "_Rare":
        return _Rare(tuple(one + more for one, more in zip(self.segments, other.segments, strict=True)))


def _customers_of(
    placement: Placement, numbers: Sequence[int], columns: Sequence[str], most: int, part: BlockPart
) -> _Rare:
    found = _Rare(tuple(BottomRows(most, np.empty(0), pa.table({})) for _ in numbers))
    key = placement.reader.columns.key
    for rows, raw in placement.reader.rows(part, columns):
        codes, _ = placement.of(raw)
        order = as_shares(hashes_of(rows[key]))
        own = []
        for number in numbers:
            members = np.flatnonzero(codes == number)
            first = members[np.argsort(order[members], kind="stable")[:most]]
            own.append(BottomRows(most, order[first], rows.select(list(columns)).take(pa.array(first))))
        found += _Rare(tuple(own))
    return found


def customers_of_segments(
    placement: Placement, numbers: Sequence[int], columns: Sequence[str], most: int, work: PartsAtWork
) -> pd.DataFrame:
    """Up to `most` customers of each of some segments, by the hashes of their keys."""
    found = work.total("customers of rare segments", _customers_of, placement, numbers, columns, most)
    return pd.concat([to_pandas(one.trimmed().rows) for one in found.segments], ignore_index=True)
