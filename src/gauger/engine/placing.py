"""The last pass: every customer placed, written down, and described; and a second look for exact quartiles."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from gauger.algorithms.statistics import Edges, count_between
from gauger.columns import Values
from gauger.engine.learning import Found
from gauger.engine.moments import Moments
from gauger.engine.parts import Part
from gauger.engine.reading import Customers, Reader, Steps, treated
from gauger.engine.survey import as_whole
from gauger.models import Assigner
from gauger.tables import BlockWriter

ASSIGNED = ("segment", "segment_name", "distance")
"""Columns of assignments beside the key."""


@dataclass(frozen=True, eq=False)
class Placement:
    """How customers are placed: the reader and treatments, the rule, what segments are called, and ends (d + 1,) of the
    columns that are described: the features in original units, and the distance."""

    reader: Reader
    treatments: Steps
    rule: Assigner
    names: tuple[str, ...]
    lows: Values
    highs: Values
    whole_keys: bool

    def of(self, block: Customers) -> tuple[NDArray[np.int32], Values]:
        """Segments from 1 (n,) and distances (n,) of some customers."""
        return self.rule.find_segments(treated(block.raw, self.treatments), {})


@dataclass(frozen=True, eq=False)
class Placed:
    """What came of placing some customers: `sizes` (k,), moments of what is described, counts between edges."""

    sizes: NDArray[np.int64]
    moments: Moments
    counts: NDArray[np.int64]

    def __add__(self, other: "Placed") -> "Placed":
        return Placed(self.sizes + other.sizes, self.moments + other.moments, self.counts + other.counts)


def place(placement: Placement, edges: Edges, out: Path | None, part: Part) -> Placed:
    """Place every customer of a part, and write who is where into a file, if one is named and there is anybody."""
    count = len(placement.names)
    found = Placed(
        np.zeros(count, dtype=np.int64), Moments.none(count, placement.lows, placement.highs), edges.counts(count)
    )
    with BlockWriter(out or Path()) as pieces:
        for block in placement.reader.customers(part, keys=out is not None):
            codes, distances = placement.of(block)
            described = np.vstack([block.raw, distances])
            own = codes - np.int32(1)
            count_between(described, own, 0, block.size, edges.values, edges.starts, found.counts)
            found = Placed(
                found.sizes + np.bincount(own, minlength=count),
                found.moments.with_block(described, own),
                found.counts,
            )
            if block.keys is not None:
                pieces.write(_assignments(placement, block.keys, codes, distances))
    return found


def _assignments(placement: Placement, keys: pa.ChunkedArray, codes: NDArray[np.int32], distances: Values) -> pa.Table:
    names = pa.DictionaryArray.from_arrays(pa.array(codes - np.int32(1)), list(placement.names))
    columns = (pa.array(codes), names, pa.array(distances))
    if placement.whole_keys:
        keys = as_whole(keys)
    return pa.table({placement.reader.key: keys, **dict(zip(ASSIGNED, columns, strict=True))})


def look_again(placement: Placement, ranges: tuple[Values, Values], part: Part) -> Found:
    """The described values of a part that lie in the ranges looked for, with the segments (from 0) they are in."""
    columns = len(placement.lows)
    found = Found(tuple(np.empty(0) for _ in range(columns)), tuple(np.empty(0, np.int32) for _ in range(columns)))
    for block in placement.reader.customers(part):
        codes, distances = placement.of(block)
        found += Found.in_ranges(np.vstack([block.raw, distances]), codes - np.int32(1), ranges)
    return found
