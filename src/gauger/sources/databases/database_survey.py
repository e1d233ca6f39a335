"""The first look at customers in a database: how many, what they lack, from where to where, and which levels."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from gauger.columns import MOST_EXACT, KeyForm
from gauger.errors import ColumnValuesError, KeyColumnError
from gauger.features import LARGEST, Level, Preparation, Recipe, nobody_to_prepare, refuse_beyond_exactness
from gauger.sources.databases.relations import DECIMAL, FLOAT, WHOLE, Relation
from gauger.sources.databases.table_customers import TableCustomers
from gauger.sources.feature_columns import FeatureColumns
from gauger.sources.surveys import MOST_COUNTED, Survey, refuse_many_levels
from gauger.sources.treatment_learning import dropped_by
from gauger.tables import Session, sql_name, sql_text


def survey_table(session: Session, relation: Relation, asked: Preparation, recipes: Mapping[str, Recipe]) -> Survey:
    """What is known of the customers of a table; raises for columns that are lacking or do not hold numbers, and for
    bad keys."""
    relation.refuse_lacking(asked.columns)
    relation.refuse_no_numbers(session, asked.measures)
    dropped = dropped_by(recipes)
    bare = TableCustomers(session, relation, FeatureColumns(asked.key, asked.measures, {}, dropped))
    columns = replace(bare.columns, not_a_number=frozenset(bare.floats()))
    everyone = _counted(replace(bare, columns=columns), asked, relation.sql)
    if not everyone.rows:
        raise nobody_to_prepare()
    plain = {name for name in bare.floats() if everyone.written[name] == everyone.known[name]}
    customers = replace(bare, columns=replace(columns, not_a_number=columns.not_a_number - plain))
    refuse_bad_keys(customers)
    names = [*asked.measures, *asked.levelled]
    missing = {name: everyone.rows - everyone.known[name] for name in names}
    gone = any(missing[name] for name in dropped)
    kept = _counted(customers, asked, customers.source) if gone else everyone
    lows, highs = (np.array([kept.ends[name][at] for name in asked.measures]) for at in (0, 1))
    _refuse_infinite(customers, lows, highs)
    return Survey(
        everyone.rows,
        kept.rows,
        missing,
        lows,
        highs,
        {name: _levels(customers, name) for name in asked.levelled},
        {name: kept.rows - kept.known[name] for name in names},
        keys=KeyForm(decimals=_have_decimals(customers)),
        not_a_number=customers.columns.not_a_number,
    )


@dataclass(frozen=True)
class _Counted:
    """Of some rows: how many, by column how many values are written and known, and the ends of measures."""

    rows: int
    written: Mapping[str, int]
    known: Mapping[str, int]
    ends: Mapping[str, tuple[float, float]]


def _counted(customers: TableCustomers, asked: Preparation, source: str) -> _Counted:
    """What one scan tells."""
    counts = []
    for name in asked.measures:
        known = customers.known(name)
        counts += [f"COUNT({sql_name(name)})", f"COUNT({known})", f"MIN({known})", f"MAX({known})"]
    counts += [f"COUNT({sql_name(name)})" for name in asked.levelled]
    rows, *found = customers.session.row(f"SELECT COUNT(*), {', '.join(counts)} FROM {source}")
    written, known_of, ends = {}, {}, {}
    for at, name in enumerate(asked.measures):
        first, second, low, high = found[4 * at : 4 * at + 4]
        written[name], known_of[name] = int(first), int(second)
        ends[name] = (np.nan, np.nan) if low is None else (float(low), float(high))
    for name, count in zip(asked.levelled, found[4 * len(asked.measures) :], strict=True):
        written[name] = known_of[name] = int(count)
    return _Counted(int(rows), written, known_of, ends)


def _refuse_infinite(customers: TableCustomers, lows: np.ndarray, highs: np.ndarray) -> None:
    for name, low, high in zip(customers.columns.measures, lows.tolist(), highs.tolist(), strict=True):
        if customers.relation.kinds.get(name) == WHOLE:
            refuse_beyond_exactness(name, low, high)
        if max(abs(low), abs(high)) > LARGEST:
            beyond = f"ABS({customers.known(name)}) > {LARGEST!r}"
            (count,) = customers.session.row(f"SELECT COUNT(*) FROM {customers.source_where(beyond)}")
            raise ColumnValuesError.infinite(name, [], int(count))


def _levels(customers: TableCustomers, column: str) -> dict[Level, int]:
    name = sql_name(column)
    source = customers.source_where(f"{name} IS NOT NULL")
    rows = customers.session.rows(
        f"SELECT {customers.relation.level(column)}, COUNT(*) FROM {source} GROUP BY 1 LIMIT {MOST_COUNTED + 1}"
    )
    refuse_many_levels(column, len(rows))
    found: dict[Level, int] = {}
    for own, count in rows:
        level = Level.of(own)
        found[level] = found.get(level, 0) + int(count)
    return found


def refuse_bad_keys(customers: TableCustomers) -> None:
    """Raise KeyColumnError for customers without a key, and for keys of more than one."""
    key, session = customers.key, customers.session
    rows, keys = map(int, session.row(f"SELECT COUNT(*), COUNT({sql_name(key)}) FROM {customers.relation.sql}"))
    if keys < rows:
        raise KeyColumnError.missing(key, [], rows - keys)
    _refuse_fractions(customers)
    if _is_unique(session, customers.relation, key):
        return
    again = f"SELECT COUNT(*) - 1 AS times FROM {customers.relation.sql} GROUP BY {sql_name(key)} HAVING COUNT(*) > 1"
    (times,) = session.row(f"SELECT SUM(times) FROM ({again}) AS repeated")
    if times:
        raise KeyColumnError.repeated(key, [], int(times))


def _refuse_fractions(customers: TableCustomers) -> None:
    """Raise KeyColumnError for decimal keys that are not whole, or too large to be exact."""
    key = sql_name(customers.key)
    largest = {FLOAT: float(MOST_EXACT), DECIMAL: 2.0**63}.get(customers.relation.kinds[customers.key])
    if largest is None:
        return
    odd = f"{key} <> ROUND({key}) OR ABS({key}) >= {largest!r}"
    (count,) = customers.session.row(f"SELECT COUNT(*) FROM {customers.relation.sql} WHERE {odd}")
    if count:
        raise KeyColumnError.fractional(customers.key, [], int(count))


def _have_decimals(customers: TableCustomers) -> bool:
    """Whether keys are written with a decimal point."""
    kind = customers.relation.kinds[customers.key]
    if kind != DECIMAL:
        return kind == FLOAT
    some = f"SELECT 1 FROM {customers.relation.sql} WHERE CAST({sql_name(customers.key)} AS TEXT) LIKE '%.%' LIMIT 1"
    return bool(customers.session.rows(some))


def _is_unique(session: Session, relation: Relation, key: str) -> bool:
    """Whether the database itself keeps keys from repeating."""
    if session.dialect != "postgres":
        return False
    (found,) = session.row(
        "SELECT COUNT(*) FROM pg_index i JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = i.indkey[0] "
        f"WHERE i.indrelid = to_regclass({sql_text(relation.sql)}) AND i.indisunique AND i.indisvalid AND i.indnatts = "
        f"1 AND i.indpred IS NULL AND a.attname = {sql_text(key)}"
    )
    return bool(found)
