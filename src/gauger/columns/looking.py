"""Look at a table before anything is done with it: what each column is, and what would go wrong."""

import datetime
from dataclasses import dataclass

import numpy as np
import pandas as pd
from pandas.api import types

from gauger.algorithms.statistics import skewness
from gauger.columns.any_table import AnyTable
from gauger.columns.checking import checked_table
from gauger.columns.facts import ColumnFacts
from gauger.columns.open_table import OpenTable
from gauger.columns.quality_checks import quality_remarks
from gauger.columns.roles import facts_of, guess_role, holds_numbers
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark, remarks_of
from gauger.wording import plural


@dataclass(frozen=True, repr=False, eq=False)
class TableLook(Readable):
    """What `look` saw in a table.

    Attributes
    ----------
    columns : pandas.DataFrame
        Indexed by column name: role (key, measure, count, flag, category, ordinal code, date, text, constant, empty),
        because (what the role was guessed from), type (whole, decimal, text, date, yes/no), missing and distinct
        (numbers of rows and of values), min, median, max (of numbers and dates; a key has none), and skew (of numbers;
        above 2 means a long tail of large values).
    rows : int
        The number of rows.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    look : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 2, 2, 5], "spend": [3.5, 8.0, 7.25, 20.0]})
    >>> gauger.look(table, key="who").measures
    ['visits', 'spend']
    """

    columns: pd.DataFrame
    rows: int
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        return f"{self.rows:,} {plural(self.rows, 'row')}, {len(self.columns)} columns"

    def overview(self) -> pd.DataFrame:
        return self.columns.drop(columns="because")

    @property
    def measures(self) -> list[str]:
        """The columns that hold amounts or counts."""
        return self.columns.index[self.columns["role"].isin(["measure", "count"])].tolist()


def look(table: AnyTable | OpenTable, key: str | None = None, *, today: datetime.date | None = None) -> TableLook:
    """Describe every column of a table and remark on what a study would stumble over.

    Parameters
    ----------
    table : pandas.DataFrame, another table or OpenTable
        Any table; what hands out an Arrow stream (polars, pyarrow, DuckDB) is read once. A table in a database is
        looked at there; of files that are larger than the sample (`Execution.sample`) a sample is looked at, and a
        remark says so.
    key : str, optional
        The column that identifies a customer.
    today : datetime.date, optional
        Dates after this day are remarked; by default the day it is.

    Returns
    -------
    TableLook
        What each column is, and the remarks: repeated rows and keys, constants, gaps and gaps that come together, long
        tails, values such as 999 or 1900-01-01 that stand for none, dates to come, and levels of one row.

    Raises
    ------
    UnknownColumnError
        When `key` is not a column.

    Examples
    --------
    >>> import gauger
    >>> seen = gauger.look(gauger.read_table(gauger.demo_file("members.csv")), key="member_id")
    >>> seen.columns.loc["age", "role"]
    'measure'
    """
    today = today or datetime.date.today()
    if isinstance(table, OpenTable):
        return table.looked_at(key, today)  # type: ignore[no-any-return]
    given, table = table, checked_table(table, [] if key is None else [key])
    left_out = () if isinstance(given, pd.DataFrame) else remarks_of(table)
    records, facts = {}, {}
    with task("looking", len(table.columns)) as advance:
        for name in table.columns:
            known = facts_of(table[name])
            records[name] = _describe(table[name], name, known, key)
            if known is not None:
                facts[name] = known
            advance(1)
    columns = pd.DataFrame.from_dict(records, orient="index", columns=_COLUMNS)
    columns.index.name = "column"
    found = quality_remarks(table, columns, facts, key, today)
    return TableLook(columns, len(table), (*left_out, *found))


_COLUMNS = ["role", "because", "type", "missing", "distinct", "min", "median", "max", "skew"]


def _describe(column: pd.Series, name: str, facts: ColumnFacts | None, key: str | None) -> list[object]:
    role = guess_role(column, name, key=key, facts=facts)
    ends: tuple[object, object, object] = (None, None, None)
    skew = np.nan
    if types.is_datetime64_any_dtype(column) and column.notna().any():
        dates = (column.min(), column.median(), column.max())
        ends = tuple(pd.Timestamp(date).date().isoformat() for date in dates)  # type: ignore[assignment]
    elif role.name != "key" and facts is not None and len(facts.ordered):
        ends = (facts.low, facts.quantile(0.5), facts.high)
        skew = skewness(facts.ordered)
    distinct = int(column.nunique()) if facts is None else facts.distinct
    return [role.name, role.because, _type_word(column), int(column.isna().sum()), distinct, *ends, skew]


def _type_word(column: pd.Series) -> str:
    if types.is_bool_dtype(column):
        return "yes/no"
    if types.is_datetime64_any_dtype(column):
        return "date"
    if types.is_integer_dtype(column):
        return "whole"
    return "decimal" if holds_numbers(column) else "text"
