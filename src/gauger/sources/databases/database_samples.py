"""Customers chosen by hashes of their keys: the only rows that leave a database."""

import pandas as pd

from gauger.features import Preparation
from gauger.sources.databases.relations import DECIMAL, FLAG, FLOAT, MONEY
from gauger.sources.databases.table_customers import TableCustomers
from gauger.tables import frame_of, sql_name

_MORE, _ALSO = 1.2, 200
"""How much more of a sample is let through than is wanted, and how many in addition, so that chance leaves enough:
chosen by us, many standard errors above what may be missed."""
_SEED = 0
"""What the hash of a key is mixed with: one order of chance for every study, so that samples stay comparable."""


def chance_of(customers: TableCustomers) -> str:
    """The whole number of 64 bits by which customers fall in an order of chance."""
    return customers.dialect.key_hash(sql_name(customers.key), _SEED)


def chance_below(most: int, everyone: int) -> str | None:
    """What must hold of `chance` for somewhat more than `most` to be left; None where all are."""
    share = (_MORE * most + _ALSO) / everyone
    return None if share >= 1.0 else f"chance < {round((share - 0.5) * 2.0**64)}"


def fetch_sample(customers: TableCustomers, asked: Preparation, everyone: int, most: int) -> pd.DataFrame:
    """Up to `most` customers: the key, the measures and the categories, as they are."""
    told = [f"{_as_it_is(customers, name)} AS c{at}" for at, name in enumerate(asked.columns)]
    if not most:
        return frame_of(list(asked.columns), [])
    source = customers.dialect.select("numbered", [*told, f"{chance_of(customers)} AS chance"], customers.source)
    below = chance_below(most, everyone)
    columns = ", ".join(f"c{at}" for at in range(len(asked.columns)))
    rows = customers.session.rows(
        f"SELECT {columns} FROM {source}{f' WHERE {below}' if below else ''} ORDER BY chance, c0 LIMIT {most}"
    )
    return frame_of(list(asked.columns), rows)


def fetch_without_keys(customers: TableCustomers, asked: Preparation) -> pd.DataFrame:
    """Everyone's measures and categories, in an order of chance, numbered in place of their keys."""
    names = asked.columns[1:]
    told = [f"{_as_it_is(customers, name)} AS c{at}" for at, name in enumerate(names)]
    columns = ", ".join(f"c{at}" for at in range(len(names)))
    source = customers.dialect.select("numbered", [*told, f"{chance_of(customers)} AS chance"], customers.source)
    rows = customers.session.rows(f"SELECT {columns} FROM {source} ORDER BY chance")
    table = frame_of(list(names), rows)
    table.insert(0, asked.key, range(len(table)))
    return table


def _as_it_is(customers: TableCustomers, name: str) -> str:
    kind = customers.relation.kinds[name]
    if name == customers.key and kind in (FLOAT, DECIMAL):
        return customers.written_key
    if name in customers.columns.measures and kind in (FLOAT, DECIMAL, MONEY, FLAG):
        return customers.known(name)
    return customers.relation.level(name)
