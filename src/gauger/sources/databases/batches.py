"""Who is in which segment, by a select in a database, as Arrow record batches in constant memory."""

from collections.abc import Iterator, Sequence

import pyarrow as pa

from gauger.sources.assignments import ASSIGNED_OTHERS
from gauger.sources.databases.relations import Relation
from gauger.tables import Session, column_of

_ROWS = 50_000
"""Rows that are fetched at a time: decides nothing but memory."""


_KINDS = dict(zip(ASSIGNED_OTHERS, (pa.int32(), pa.string(), pa.float64(), pa.string()), strict=True))


def batches_of(
    session: Session, relation: Relation, key: str, source: str, columns: Sequence[str]
) -> Iterator[pa.RecordBatch]:
    """The key, which is of a relation, and other columns of assignments, from something to select them from."""
    chosen = ", ".join([relation.level(key), *columns])
    for rows in session.batches(f"SELECT {chosen} FROM {source}", _ROWS):
        keys, *others = map(list, zip(*rows, strict=True))
        kept = {name: pa.array(values, _KINDS[name]) for name, values in zip(columns, others, strict=True)}
        yield pa.RecordBatch.from_pydict({key: column_of(keys), **kept})
