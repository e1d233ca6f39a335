"""What every function asks of a table it is given: named columns, the ones it needs, a key that identifies."""

from collections import Counter
from collections.abc import Iterable, Sequence

import numpy as np
import pandas as pd

from gauger.columns.any_table import AnyTable, refuse_repeated_names, whole_table
from gauger.columns.key_forms import whole_keys
from gauger.errors import KeyColumnError, SettingError, TableFileError, UnknownColumnError
from gauger.wording import listed


def checked_table(table: AnyTable, needed: Iterable[str] = ()) -> pd.DataFrame:
    """The table as a DataFrame with text for column names; a DataFrame is not copied.

    Raises SettingError for what is no table or names a column twice, UnknownColumnError for a `needed` column that
    it lacks, with a hint when the name is the index's.
    """
    frame = whole_table(table)
    named = frame.rename(columns=str)
    refuse_repeated_names(list(named.columns))
    asked = list(needed)
    odd = [name for name in asked if not isinstance(name, str)]
    if odd:
        raise SettingError(f"a column is named by text, not by {odd[0]!r} ({type(odd[0]).__name__}).")
    lacking = [name for name in asked if name not in named.columns]
    if lacking and lacking[0] in frame.index.names:
        raise SettingError(f"{lacking[0]!r} is the table's index, not a column: use table.reset_index().")
    if lacking:
        raise UnknownColumnError.among(asked, list(named.columns))
    return named


def refuse_bad_names(source: str, names: Sequence[str | None], where: str = "its first line") -> None:
    """Raise TableFileError unless every column of what was read has a name of its own."""
    blank = [str(number) for number, name in enumerate(names, 1) if name is None or not name.strip()]
    if blank or not names:
        columns = f" for column {listed(blank)}" if blank else ""
        raise TableFileError(f"{source} has no name{columns} in {where}, which must name every column.")
    repeats = [str(name) for name, times in Counter(names).items() if times > 1]
    if repeats:
        raise TableFileError(f"{source} names {listed(map(repr, repeats))} more than once. Rename the columns.")


RESERVED = ("segment", "segment_name", "distance", "why", "arm")
"""Columns of what Gauger writes beside the key."""


def refuse_reserved_key(key: str) -> None:
    """Raise KeyColumnError when the key is called like a column that results have beside it."""
    if key in RESERVED:
        raise KeyColumnError(
            f"the key is called {key!r}, as a column that results have beside it, so customers would be lost from what "
            f"is written. Rename it first: table.rename(columns={{{key!r}: 'customer'}})."
        )


def refuse_bad_key(keys: pd.Series) -> None:
    """Raise KeyColumnError, with the first rows at fault, unless every key is there and stands once."""
    refuse_missing_key(keys)
    repeated = keys.duplicated()
    if repeated.any():
        raise KeyColumnError.repeated(str(keys.name), np.flatnonzero(repeated)[:3].tolist(), int(repeated.sum()))


def checked_keys(keys: pd.Series) -> pd.Series:
    """Keys that name customers, floating-point ones as whole numbers; raises KeyColumnError, with the first rows at
    fault, if a key is missing, is not whole, or repeats."""
    refuse_missing_key(keys)
    whole = whole_keys(keys)
    refuse_bad_key(whole)
    return whole


def keys_as_text(keys: pd.Series) -> "pd.Series[str]":
    """Keys as text, trimmed, so that those of two tables can be matched whatever their types; 7.0 is "7"."""
    return keys.map(_key_text, na_action="ignore").astype("str")


def _key_text(key: object) -> str:
    return str(int(key)) if isinstance(key, float) and key.is_integer() else str(key).strip()


def refuse_missing_key(keys: pd.Series, *, rows_before: int = 0) -> None:
    """Raise KeyColumnError, with the first rows at fault, unless every key is there; it may repeat, as in events.

    `rows_before` is how many rows of a file stand before these.
    """
    gaps = np.flatnonzero(keys.isna())
    if gaps.size:
        raise KeyColumnError.missing(str(keys.name), (gaps[:3] + rows_before).tolist(), gaps.size)
