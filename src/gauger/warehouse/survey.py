"""The first look at customers in a database: how many, what they lack, from where to where, and which levels."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import pyarrow as pa

from gauger.engine import BottomRows, Survey, Wanted, dropped_by, refuse_gaps
from gauger.errors import ColumnValuesError, KeyColumnError, SettingError
from gauger.features import LARGEST, Level, Recipe, sql_name, sql_text
from gauger.tables import Session
from gauger.warehouse.customers import Customers
from gauger.warehouse.relations import TEXT, Relation, relation_of
from gauger.wording import plural

_MOST_LEVELS = 1_000
"""Levels that are counted before a category is given up: far more than make sense."""


def customers_of(session: Session, table: str, wanted: Wanted, recipes: Mapping[str, Recipe]) -> Customers:
    """The customers of a table, without indicators; raises for columns that there are not or that hold no numbers."""
    relation = relation_of(session, table)
    relation.refuse_lacking([wanted.key, *wanted.measures, *wanted.categories])
    relation.refuse_no_numbers(wanted.measures)
    found = Customers(session, relation, wanted.key, wanted.measures, dropped=dropped_by(recipes, wanted))
    floats = found.floats()
    if floats:
        asked = [
            f"COUNT({relation.number(name)}), COUNT({found.dialect.known(relation.number(name))})" for name in floats
        ]
        counts = session.row(f"SELECT {', '.join(asked)} FROM {relation.sql}")
        odd = [name for name, all_of, known in zip(floats, counts[::2], counts[1::2], strict=True) if all_of != known]
        found = replace(found, not_a_number=frozenset(odd))
    return found


def survey(customers: Customers, wanted: Wanted, recipes: Mapping[str, Recipe]) -> Survey:
    """Look at everyone for the first time; raises for keys and gaps that will not do."""
    relation, session = customers.relation, customers.session
    columns = [*map(customers.known, wanted.measures), *map(sql_name, wanted.categories)]
    names = [*wanted.measures, *wanted.categories]
    rows, *known = session.row(f"SELECT COUNT(*){''.join(f', COUNT({one})' for one in columns)} FROM {relation.sql}")
    missing = {name: rows - count for name, count in zip(names, known, strict=True)}
    refuse_bad_keys(customers)
    ends = [f", MIN({one}), MAX({one})" for one in map(customers.known, wanted.measures)]
    kept, *more = session.row(
        f"SELECT COUNT(*){''.join(f', COUNT({one})' for one in columns)}{''.join(ends)} FROM {customers.source}"
    )
    present, ends_found = more[: len(names)], more[len(names) :]
    lows, highs = (np.array([np.nan if one is None else float(one) for one in ends_found[at::2]]) for at in (0, 1))
    _refuse_infinite(customers, lows, highs)
    found = Survey(
        int(rows),
        int(kept),
        missing,
        lows,
        highs,
        {name: _levels(customers, name) for name in wanted.categories},
        {name: int(kept - count) for name, count in zip(names, present, strict=True)},
        0,
        False,
        BottomRows(1, np.empty(0), pa.table({})),
    )
    refuse_gaps(found, recipes, wanted.categories)
    return found


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
    rows = customers.session.rows(f"SELECT {value}, COUNT(*) FROM {source} GROUP BY 1 LIMIT {_MOST_LEVELS + 1}")
    if len(rows) > _MOST_LEVELS:
        raise SettingError(
            f"{column!r} has more than {_MOST_LEVELS:,} levels, too many to make sense as features. Group them into "
            "fewer, or leave the column out."
        )
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
    if is_unique(session, customers.relation, key):
        return
    repeats = f"SELECT 1 AS one FROM {customers.relation.sql} GROUP BY {sql_name(key)} HAVING COUNT(*) > 1"
    (again,) = session.row(f"SELECT COUNT(*) FROM ({repeats}) AS repeated")
    if again:
        raise KeyColumnError(
            f"{again:,} {plural(int(again), 'key')} of {key!r} {plural(int(again), 'stands', 'stand')} in more "
            "than one row: segments need a row a customer. Events become that with `gauger features --in-database`."
        )


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
