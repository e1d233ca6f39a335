"""Databases of the tests' own, each with tables of made-up members: DuckDB, SQLite and a real PostgreSQL."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest

from gauger.tables import transaction
from tests.own_segments import Segmented, database_segmented


class Shop:
    """A database by its URL."""

    def __init__(self, url: str) -> None:
        self.url = url

    @property
    def dialect(self) -> str:
        return self.url.partition(":")[0].partition("+")[0].replace("postgresql", "postgres")

    def run(self, *statements: str) -> list[tuple[Any, ...]]:
        """What the last of some statements gives."""
        with transaction(self.url) as session:
            return [session.rows(one) for one in statements][-1]

    def write(self, name: str, table: pd.DataFrame, types: Mapping[str, str] | None = None) -> None:
        """Make a table of a DataFrame, a row a VALUES; numbers with all their digits."""
        kinds = {"f": "DOUBLE PRECISION", "i": "BIGINT", "b": "BOOLEAN"}
        columns = {
            str(column): (types or {}).get(str(column), kinds.get(table[column].dtype.kind, "TEXT"))
            for column in table.columns
        }
        listed = ", ".join(f"{quoted(column)} {kind}" for column, kind in columns.items())
        rows = ", ".join(f"({', '.join(map(literal, row))})" for row in table.itertuples(index=False))
        self.run(
            f"DROP TABLE IF EXISTS {quoted(name)}",
            f"CREATE TABLE {quoted(name)} ({listed})",
            *([f"INSERT INTO {quoted(name)} VALUES {rows}"] if rows else []),
        )

    def frame(self, statement: str, *names: str) -> pd.DataFrame:
        """What a statement gives, as a table."""
        return pd.DataFrame(self.run(statement), columns=list(names))


def quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def literal(value: object) -> str:
    if value is None or value is pd.NA or value is pd.NaT:
        return "NULL"
    if isinstance(value, (bool, np.bool_)):
        return "TRUE" if value else "FALSE"
    if isinstance(value, (float, np.floating)):
        return "NULL" if np.isnan(value) else f"{float(value)!r}"
    if isinstance(value, (int, np.integer)):
        return str(int(value))
    return "'" + str(value).replace("'", "''") + "'"


def segmented(url: str, **settings: Any) -> Segmented:
    """Segments in a database."""
    return database_segmented(url, **settings)


def own_shop(kind: str, request: pytest.FixtureRequest, folder: Path) -> Shop:
    """A database of a kind."""
    if kind == "postgres":
        return Shop(request.getfixturevalue("postgres"))
    if kind == "duckdb":
        import duckdb

        file = folder / "shop.duckdb"
        duckdb.connect(str(file)).close()
        return Shop(f"duckdb:///{file}")
    import sqlite3

    file = folder / "shop.db"
    made = sqlite3.connect(file)
    made.execute("CREATE TABLE empty (x)")
    made.close()
    return Shop(f"sqlite:///{file}")


def planted(seed: int, rows: int = 240, groups: int = 4) -> pd.DataFrame:
    """Members in groups far apart, in an order of chance."""
    rng = np.random.default_rng(seed)
    kind = rng.integers(0, groups, rows)
    table = pd.DataFrame({"who": [f"M{number:04d}" for number in rng.permutation(rows)]})
    for name in ("visits", "spend", "age"):
        table[name] = np.round(rng.permutation(groups)[kind] * 40.0 + rng.normal(0.0, 3.0, rows), 3)
    return table
