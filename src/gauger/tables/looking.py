"""Look at a table before anything is done with it: what each column is, and what would go wrong."""

from dataclasses import dataclass

import numpy as np
import pandas as pd
from pandas.api import types

from gauger.errors import listed, plural
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.tables.checking import checked_table
from gauger.tables.roles import guess_role, holds_numbers, skewness


@dataclass(frozen=True, repr=False, eq=False)
class TableLook(Readable):
    """What `look` saw: `.columns` has a row a column, `.remarks` the cautions, `.rows` the number of rows."""

    columns: pd.DataFrame
    rows: int
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        return f"{self.rows:,} {plural(self.rows, 'row')}, {len(self.columns)} columns"

    def overview(self) -> pd.DataFrame:
        return self.columns


def look(table: pd.DataFrame, key: str | None = None) -> TableLook:
    """Describe every column of a table and remark on what a study would stumble over.

    `.columns` is indexed by column name and has: role (key, measure, count, flag, category, ordinal code, date, text,
    constant, empty), type (whole, decimal, text, date, yes/no), missing and distinct (numbers of rows and of values),
    min, median, max (of numbers and dates; a key has none), and skew (of numbers; above 2 means a long tail of large
    values).

    Raises UnknownColumnError when `key` is not a column.

    >>> import gauger
    >>> seen = gauger.look(gauger.read_table(gauger.demo_file("members.csv")), key="member_id")
    >>> seen.columns.loc["age", "role"]
    'measure'
    """
    table = checked_table(table, [] if key is None else [key])
    records = {}
    with task("looking", len(table.columns)) as advance:
        for name in table.columns:
            records[name] = _describe(table[name], name, key)
            advance(1)
    columns = pd.DataFrame.from_dict(records, orient="index", columns=_COLUMNS)
    columns.index.name = "column"
    return TableLook(columns, len(table), _remarks(table, columns, key))


_COLUMNS = ["role", "type", "missing", "distinct", "min", "median", "max", "skew"]


def _describe(column: pd.Series, name: str, key: str | None) -> list[object]:
    role = guess_role(column, name, key=key)
    present = column.dropna()
    low: object = None
    middle: object = None
    high: object = None
    skew = np.nan
    if types.is_datetime64_any_dtype(column) and not present.empty:
        ends = (present.min(), present.median(), present.max())
        low, middle, high = (pd.Timestamp(value).date().isoformat() for value in ends)
    elif role.name != "key" and holds_numbers(present) and not present.empty:
        numbers = present.to_numpy(dtype=np.float64)
        low, middle, high, skew = numbers.min(), np.median(numbers), numbers.max(), skewness(present)
    return [role.name, _type_word(column), int(column.isna().sum()), int(present.nunique()), low, middle, high, skew]


def _type_word(column: pd.Series) -> str:
    if types.is_bool_dtype(column):
        return "yes/no"
    if types.is_datetime64_any_dtype(column):
        return "date"
    if types.is_integer_dtype(column):
        return "whole"
    return "decimal" if holds_numbers(column) else "text"


def _remarks(table: pd.DataFrame, columns: pd.DataFrame, key: str | None) -> tuple[Remark, ...]:
    found = []
    if key is not None:
        repeats = int(table[key].dropna().duplicated().sum())
        if repeats:
            found.append(
                Remark(
                    "key-repeats",
                    f"{key} repeats in {repeats:,} of {len(table):,} rows: it names customers only after events are "
                    "summarised to one row a customer.",
                    (key,),
                )
            )
    constant = columns.index[columns["role"].isin(["constant", "empty"])].tolist()
    if constant:
        verb = plural(len(constant), "says", "say")
        found.append(
            Remark("constant", f"{listed(constant)} {verb} the same for everyone; leave it out.", tuple(constant))
        )
    codes = columns.index[columns["role"] == "ordinal code"].tolist()
    if codes:
        found.append(
            Remark(
                "code-as-measure",
                f"{listed(codes)} {plural(len(codes), 'looks like a code', 'look like codes')} in steps: "
                "the distance between two steps is not a measurement, so think twice before averaging.",
                tuple(codes),
            )
        )
    gaps = columns.index[(columns["missing"] > 0) & (columns["role"] != "empty")].tolist()
    if gaps:
        shares = [f"{name} ({columns.loc[name, 'missing']:,})" for name in gaps]
        found.append(
            Remark(
                "missing",
                f"missing values in {listed(shares, most=6)}. Used as features they must be given a meaning: "
                "zero, median, or the customer is left out.",
                tuple(gaps),
            )
        )
    return tuple(found)
