"""Tables and views of a database: found by the name that was typed, with their columns and what these hold."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import pandas as pd

from gauger.errors import ColumnValuesError, UnknownColumnError, UnknownTableError
from gauger.features import DOUBLE
from gauger.tables import Session, TableName, names_of, sql_name, sql_text

WHOLE, DECIMAL, FLOAT, MONEY, FLAG = "whole", "decimal", "float", "money", "flag"
DATE, TEXT, OTHER = "date", "text", "other"
NUMBERS = (WHOLE, DECIMAL, FLOAT, MONEY, FLAG)
"""The kinds of columns that can be features as they are."""
_MOST_WORDS = 100_000
"""Different texts of a column that are looked at to count those that are not numbers."""

_KINDS = {
    WHOLE: ("smallint", "integer", "bigint", "tinyint", "hugeint", "utinyint", "usmallint", "uinteger", "ubigint"),
    FLOAT: ("real", "double precision", "double", "float"),
    DECIMAL: ("numeric", "decimal"),
    MONEY: ("money",),
    FLAG: ("boolean",),
    DATE: ("date", "timestamp"),
    TEXT: ("text", "character", "varchar", "uuid", "enum", "bpchar", "name", "citext"),
}


@dataclass(frozen=True)
class Relation:
    """A table or view that is there, with the kind of each column, in order."""

    name: TableName
    kinds: Mapping[str, str]

    @property
    def sql(self) -> str:
        """The name as SQL."""
        return self.name.sql

    def number(self, column: str) -> str:
        """A column as a number, NaN and all."""
        name, kind = sql_name(column), self.kinds[column]
        if kind == FLAG:
            return f"CAST(CASE WHEN {name} THEN 1 WHEN NOT {name} THEN 0 END AS {DOUBLE})"
        if kind == MONEY:
            return f"CAST(CAST({name} AS NUMERIC) AS {DOUBLE})"
        return f"CAST({name} AS {DOUBLE})"

    def level(self, column: str) -> str:
        """A column as its values are read: text of any kind as text."""
        name = sql_name(column)
        return f"CAST({name} AS TEXT)" if self.kinds[column] == TEXT else name

    def refuse_lacking(self, asked: Sequence[str]) -> None:
        """Raise UnknownColumnError if any column is lacking."""
        if any(name not in self.kinds for name in asked):
            raise UnknownColumnError.among(list(asked), list(self.kinds))

    def refuse_no_numbers(self, session: Session, measures: Sequence[str]) -> None:
        """Raise ColumnValuesError for measures that hold no numbers."""
        for name in measures:
            if self.kinds[name] == DATE:
                raise ColumnValuesError.dates(name)
            if self.kinds[name] == TEXT:
                self._refuse_words(session, name)
            if self.kinds[name] not in NUMBERS:
                what = "numbers written as text" if self.kinds[name] == TEXT else "something else than numbers"
                raise ColumnValuesError(
                    f"{name!r} holds {what} in the database. Leave it out of the features, or make a view in which it "
                    "is a number."
                )

    def _refuse_words(self, session: Session, name: str) -> None:
        """Raise ColumnValuesError for text that is not a number, as for a table in memory."""
        rows = session.rows(
            f"SELECT CAST({sql_name(name)} AS TEXT), COUNT(*) FROM {self.sql} WHERE {sql_name(name)} IS NOT NULL GROUP "
            f"BY 1 ORDER BY 1 LIMIT {_MOST_WORDS}"
        )
        words = pd.Series([str(row[0]) for row in rows], dtype=object)
        wrong = pd.to_numeric(words, errors="coerce").isna().to_numpy()
        if wrong.any():
            count = sum(int(row[1]) for row, odd in zip(rows, wrong, strict=True) if odd)
            raise ColumnValuesError.not_numbers(name, sorted(words[wrong])[:3], count)


def relation_of(session: Session, typed: str) -> Relation:
    """The table or view that a typed name means; raises UnknownTableError where there is none."""
    for name in names_of(typed):
        kinds = kinds_of(session, name)
        if kinds:
            return Relation(name, kinds)
    raise UnknownTableError.among(typed, _present(session), session.shown)


def kinds_of(session: Session, name: TableName) -> dict[str, str]:
    """The kind of each column of a table; empty where there is no such table."""
    if session.dialect == "postgres":
        rows = session.rows(
            "SELECT a.attname, CASE WHEN t.typtype = 'e' THEN 'enum' ELSE format_type(CASE WHEN t.typtype = 'd' THEN "
            "t.typbasetype ELSE t.oid END, NULL) END FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid WHERE "
            f"a.attrelid = to_regclass({sql_text(name.sql)}) AND a.attnum > 0 AND NOT a.attisdropped ORDER BY a.attnum"
        )
    elif session.dialect == "duckdb":
        schema = "current_schema()" if name.schema is None else sql_text(name.schema)
        rows = session.rows(
            "SELECT column_name, data_type FROM information_schema.columns WHERE table_catalog = current_database() "
            f"AND lower(table_schema) = lower({schema}) AND lower(table_name) = lower({sql_text(name.name)}) "
            "ORDER BY ordinal_position"
        )
    else:
        where = sql_text(name.name) if name.schema is None else f"{sql_text(name.name)}, {sql_text(name.schema)}"
        columns = session.rows(f"SELECT name FROM pragma_table_info({where})")
        return {str(column): _kind_of_values(session, name, str(column)) for (column,) in columns}
    return {str(column): _kind_of_type(str(kind)) for column, kind in rows}


def _kind_of_type(word: str) -> str:
    plain = word.lower().partition("(")[0].strip()
    if word.endswith("]"):
        return OTHER
    return next(
        (kind for kind, words in _KINDS.items() if any(plain == one or plain.startswith(f"{one} ") for one in words)),
        OTHER,
    )


def _kind_of_values(session: Session, name: TableName, column: str) -> str:
    """What a column of SQLite holds, whose types bind nobody."""
    rows = session.rows(f"SELECT DISTINCT typeof({sql_name(column)}) FROM {name.sql}")
    words = {str(row[0]) for row in rows} - {"null"}
    if words <= {"integer"}:
        return WHOLE
    if words <= {"integer", "real"}:
        return FLOAT
    return TEXT if words <= {"text", "integer", "real"} else OTHER


def _present(session: Session) -> list[str]:
    """The tables and views that there are, as they may be typed."""
    if session.dialect == "sqlite":
        return [str(row[0]) for row in session.rows("SELECT name FROM sqlite_master WHERE type IN ('table', 'view')")]
    here = "current_schema()"
    rows = session.rows(
        "SELECT table_schema, table_name FROM information_schema.tables WHERE table_schema NOT IN "
        f"('pg_catalog', 'information_schema') AND table_schema NOT LIKE 'pg_temp%' ORDER BY table_schema <> {here}, 2"
    )
    (current,) = session.row(f"SELECT {here}")
    return [str(name) if schema == current else f"{schema}.{name}" for schema, name in rows]
