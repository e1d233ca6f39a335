"""Segments written where the customers live: who is in which, and the centres, in tables of their own."""

from collections.abc import Mapping, Sequence

import numpy as np
import pandas as pd

from gauger.features import DOUBLE, sql_number
from gauger.models import MISSING, SegmentModel, placing_select
from gauger.sources.assignments import ASSIGNED, ASSIGNED_OTHERS
from gauger.sources.databases.dialects import Nested
from gauger.sources.databases.relations import kinds_of
from gauger.sources.databases.table_customers import TableCustomers
from gauger.tables import Mark, Session, TableName, put_mark, sql_name, sql_text


def assignments_select(
    customers: TableCustomers, model: SegmentModel, gates: np.ndarray | None = None, *, others: bool
) -> str:
    """The select of who is in which segment: the key, segment, segment_name and distance. Of `others` than those
    learned from also why one is in none, and those who lack a value too."""
    chain = Nested(customers.dialect)
    measures = {one.column for one in model.features} & set(customers.columns.measures)
    numbers = {name: customers.known(name) for name in measures}
    placed = placing_select(model, customers.relation.sql, chain, customers.session.dialect, gates, numbers)
    columns = [f"{customers.written_key} AS {sql_name(customers.key)}", *(ASSIGNED_OTHERS if others else ASSIGNED)]
    kept = "" if others else f" WHERE why <> {sql_text(MISSING)}"
    return f"SELECT {', '.join(columns)} FROM ({placed}) AS placed{kept}"


def write_centres(
    session: Session, names: Sequence[str], sizes: Sequence[int], centres: pd.DataFrame, into: TableName
) -> None:
    """Make the table of centres (k, d) in original units, one row per segment: its number, name and customers, and the
    features; one that is called like one of these has a `_` behind its name."""
    fixed = ("segment", "segment_name", "customers")
    columns = [f"{name}_" if name.lower() in fixed else name for name in map(str, centres.columns)]
    rows = []
    for at, (name, size, own) in enumerate(zip(names, sizes, centres.to_numpy().tolist(), strict=True), 1):
        values = [f"CAST({sql_number(value)} AS {DOUBLE})" for value in own]
        rows.append([f"CAST({at} AS INTEGER)", sql_text(name), f"CAST({size} AS BIGINT)", *values])
    first = [f"{told} AS {sql_name(name)}" for told, name in zip(rows[0], [*fixed, *columns], strict=True)]
    selects = [f"SELECT {', '.join(first)}", *(f"SELECT {', '.join(row)}" for row in rows[1:])]
    make_table(session, into, " UNION ALL ".join(selects))


def make_table(session: Session, name: TableName, select: str) -> None:
    """Make a table of what a select gives, in place of one that is there."""
    if kinds_of(session, name):  # `refuse_taken` has seen that Gauger made it
        session.rows(f"DROP TABLE {name.sql}")
    session.rows(f"CREATE TABLE {name.sql} AS {select}")
    if session.dialect == "postgres":
        session.rows(f"ANALYZE {name.sql}")


def say_what_it_is(session: Session, texts: Mapping[TableName, str], mark: Mark) -> None:
    """Write on each table what it is, with the mark by which it can be replaced."""
    for name, text in texts.items():
        put_mark(session, name, text, mark)
