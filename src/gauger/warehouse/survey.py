"""The first look at customers in a database: how many, what they lack, from where to where, and which levels."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import pyarrow as pa

from gauger.columns import KeyForm
from gauger.engine import MOST_COUNTED, BottomRows, Survey, Wanted, dropped_by, refuse_gaps, refuse_many_levels
from gauger.errors import ColumnValuesError, KeyColumnError, SettingError
from gauger.features import LARGEST, Level, Recipe
from gauger.tables import Session, sql_name, sql_text
from gauger.warehouse.customers import Customers
from gauger.warehouse.relations import FLOAT, TEXT, Relation, relation_of
from gauger.wording import plural


def survey_table(
    session: Session, table: str, wanted: Wanted, recipes: Mapping[str, Recipe]
) -> tuple[Customers, Survey]:
    """The customers of a table, without indicators, and what is known of them; raises for columns that there are not or
    that hold no numbers, and for keys and gaps that will not do."""
    relation = relation_of(session, table)
    relation.refuse_lacking([wanted.key, *wanted.measures, *wanted.categories])
    relation.refuse_no_numbers(wanted.measures)
    customers = Customers(session, relation, wanted.key, wanted.measures, dropped=dropped_by(recipes, wanted))
    customers = replace(customers, not_a_number=frozenset(customers.floats()))
    everyone = _counted(customers, wanted, relation.sql)
    if not everyone.rows:
        raise SettingError(f"there are no customers to segment: {table} has no rows.")
    plain = [name for name in customers.floats() if everyone.written[name] == everyone.known[name]]
    customers = replace(customers, not_a_number=customers.not_a_number - set(plain))
    refuse_bad_keys(customers)
    names = [*wanted.measures, *wanted.categories]
    missing = {name: everyone.rows - everyone.known[name] for name in names}
    gone = any(missing[name] for name in customers.dropped)
    kept = _counted(customers, wanted, customers.source) if gone else everyone
    lows, highs = (np.array([kept.ends[name][at] for name in wanted.measures]) for at in (0, 1))
    _refuse_infinite(customers, lows, highs)
    found = Survey(
        everyone.rows,
        kept.rows,
        missing,
        lows,
        highs,
        {name: _levels(customers, name) for name in wanted.categories},
        {name: kept.rows - kept.known[name] for name in names},
        0,
        KeyForm(),
        BottomRows(1, np.empty(0), pa.table({})),
    )
    refuse_gaps(found, recipes, wanted.categories)
    return customers, found


@dataclass(frozen=True)
class _Counted:
    """Of some rows: how many, by column how many values are written and known, and the ends of measures."""

    rows: int
    written: Mapping[str, int]
    known: Mapping[str, int]
    ends: Mapping[str, tuple[float, float]]


def _counted(customers: Customers, wanted: Wanted, source: str) -> _Counted:
    """What one scan tells."""
    asked = []
    for name in wanted.measures:
        known = customers.known(name)
        asked += [f"COUNT({sql_name(name)})", f"COUNT({known})", f"MIN({known})", f"MAX({known})"]
    asked += [f"COUNT({sql_name(name)})" for name in wanted.categories]
    rows, *found = customers.session.row(f"SELECT COUNT(*), {', '.join(asked)} FROM {source}")
    written, known_of, ends = {}, {}, {}
    for at, name in enumerate(wanted.measures):
        first, second, low, high = found[4 * at : 4 * at + 4]
        written[name], known_of[name] = int(first), int(second)
        ends[name] = (np.nan, np.nan) if low is None else (float(low), float(high))
    for name, count in zip(wanted.categories, found[4 * len(wanted.measures) :], strict=True):
        written[name] = known_of[name] = int(count)
    return _Counted(int(rows), written, known_of, ends)


def _refuse_infinite(customers: Customers, lows: np.ndarray, highs: np.ndarray) -> None:
    for name, low, high in zip(customers.measures, lows.tolist(), highs.tolist(), strict=True):
        if max(abs(low), abs(high)) > LARGEST:
            beyond = f"ABS({customers.known(name)}) > {LARGEST!r}"
            (count,) = customers.session.row(f"SELECT COUNT(*) FROM {customers.source_where(beyond)}")
            raise ColumnValuesError(
                f"{name!r} is infinite or beyond measure in {count:,} {plural(int(count), 'row')}. That is most often "
                "a division by zero: correct it where the column is made."
            )


def _levels(customers: Customers, column: str) -> dict[Level, int]:
    name = sql_name(column)
    value = f"CAST({name} AS TEXT)" if customers.relation.kinds[column] == TEXT else name
    source = customers.source_where(f"{name} IS NOT NULL")
    rows = customers.session.rows(f"SELECT {value}, COUNT(*) FROM {source} GROUP BY 1 LIMIT {MOST_COUNTED + 1}")
    refuse_many_levels(column, len(rows))
    found: dict[Level, int] = {}
    for own, count in rows:
        level = Level.of(own)
        found[level] = found.get(level, 0) + int(count)
    return found


def refuse_bad_keys(customers: Customers) -> None:
    """Raise KeyColumnError for customers without a key, and for keys of more than one."""
    key, session = customers.key, customers.session
    rows, keys = map(int, session.row(f"SELECT COUNT(*), COUNT({sql_name(key)}) FROM {customers.relation.sql}"))
    if keys < rows:
        raise KeyColumnError(
            f"{key!r} is missing in {rows - keys:,} of {rows:,} rows: every customer needs a key. Leave those rows out "
            f"(a view with WHERE {key} IS NOT NULL)."
        )
    if customers.relation.kinds[key] == FLOAT:
        _refuse_fractions(customers)
    if is_unique(session, customers.relation, key):
        return
    repeats = f"SELECT 1 AS one FROM {customers.relation.sql} GROUP BY {sql_name(key)} HAVING COUNT(*) > 1"
    (again,) = session.row(f"SELECT COUNT(*) FROM ({repeats}) AS repeated")
    if again:
        raise KeyColumnError(
            f"{again:,} {plural(int(again), 'key')} of {key!r} {plural(int(again), 'stands', 'stand')} in more "
            "than one row: segments need a row a customer. Events become that with `gauger features --in-database`."
        )


def _refuse_fractions(customers: Customers) -> None:
    """Raise KeyColumnError for floating-point keys that are not whole, or too large to be exact."""
    key = sql_name(customers.key)
    odd = f"{key} <> ROUND({key}) OR ABS({key}) >= {2.0**53!r}"
    (count,) = customers.session.row(f"SELECT COUNT(*) FROM {customers.relation.sql} WHERE {odd}")
    if count:
        raise KeyColumnError.fractional(customers.key, [], int(count))


def is_unique(session: Session, relation: Relation, key: str) -> bool:
    """Whether the database itself sees to it that a key stands once."""
    if session.dialect != "postgres":
        return False
    (found,) = session.row(
        "SELECT COUNT(*) FROM pg_index i JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = i.indkey[0] "
        f"WHERE i.indrelid = to_regclass({sql_text(relation.sql)}) AND i.indisunique AND i.indisvalid AND i.indnatts = "
        f"1 AND i.indpred IS NULL AND a.attname = {sql_text(key)}"
    )
    return bool(found)
