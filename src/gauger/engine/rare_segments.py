"""Segments too rare for a sample to hold: some of their customers are added, so that nothing is drawn of nobody."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import pandas as pd
import pyarrow as pa

from gauger.algorithms import as_shares
from gauger.columns import to_pandas
from gauger.engine.bottom_rows import BottomRows
from gauger.engine.crews import Everyone
from gauger.engine.parts import Part
from gauger.engine.placing import Placement
from gauger.engine.reading import treated
from gauger.engine.treating import Treated, learned_features
from gauger.tables import hashes_of

FEWEST = 10
"""Customers of each segment that a sample has, if there are so many: enough to draw and to describe."""


@dataclass(frozen=True, eq=False)
class _Rare:
    """Some customers of each rare segment, those whose keys have the smallest hashes."""

    segments: tuple[BottomRows, ...]

    def __add__(self, other: "_Rare") -> "_Rare":
        return _Rare(tuple(one + more for one, more in zip(self.segments, other.segments, strict=True)))


def _customers_of(placement: Placement, numbers: Sequence[int], columns: Sequence[str], part: Part) -> _Rare:
    found = _Rare(tuple(BottomRows(FEWEST, np.empty(0), pa.table({})) for _ in numbers))
    for rows, raw in placement.reader.rows(part, columns):
        codes, _ = placement.rule.find_segments(treated(raw, placement.treatments), {})
        order = as_shares(hashes_of(rows[placement.reader.key]))
        own = []
        for number in numbers:
            members = np.flatnonzero(codes == number)
            first = members[np.argsort(order[members], kind="stable")[:FEWEST]]
            own.append(BottomRows(FEWEST, order[first], rows.select(list(columns)).take(pa.array(first))))
        found += _Rare(tuple(own))
    return found


def with_rare_segments(features: Treated, placement: Placement, sizes: Sequence[int], everyone: Everyone) -> Treated:
    """The same with a sample that has customers of every segment."""
    codes, _ = placement.rule.find_segments(np.ascontiguousarray(features.sample.values.T), {})
    seen = np.bincount(codes, minlength=len(sizes) + 1)[1:]
    rare = [number for number, size in enumerate(sizes, 1) if seen[number - 1] < min(FEWEST, size)]
    if not rare:
        return features
    columns = list(features.sample_table.columns)
    found = everyone.total("customers of rare segments", _customers_of, placement, rare, columns)
    more = [to_pandas(one.trimmed().rows) for one in found.segments]
    table = pd.concat([features.sample_table, *(one.astype(features.sample_table.dtypes) for one in more)])
    table = table.drop_duplicates(features.sample.key, ignore_index=True)
    sample, reader = features.sample, features.reader
    own = learned_features(
        replace(sample, keys=table[sample.key].to_numpy()),
        table,
        reader.names,
        reader.indicators,
        features.working.treatments,
        sample.recipes,
    )
    return replace(features, sample=own, sample_table=table)
