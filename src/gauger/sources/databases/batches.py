"""What a statement gives, as Arrow record batches in constant memory."""

from collections.abc import Iterator, Sequence

import pyarrow as pa

from gauger.tables import Session

_ROWS = 50_000
"""Rows that are fetched at a time: decides nothing but memory."""


def batches_of(session: Session, statement: str, names: Sequence[str]) -> Iterator[pa.RecordBatch]:
    """The rows of a statement, with these names for its columns."""
    for rows in session.batches(statement, _ROWS):
        columns = map(list, zip(*rows, strict=True))
        yield pa.RecordBatch.from_pydict(dict(zip(names, columns, strict=True)))
