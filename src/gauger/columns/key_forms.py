"""Keys that a table holds as floating-point numbers: whole ones are whole numbers, others identify nobody."""

from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from pandas.api import types

from gauger.columns.facts import MOST_EXACT
from gauger.errors import KeyColumnError
from gauger.remarks import Remark


@dataclass(frozen=True)
class KeyForm:
    """How keys are written: whether some are words, some have a decimal point, how many are not whole, whether a file
    has them as text, and the types that parts store them as."""

    words: bool = False
    decimals: bool = False
    fractions: int = 0
    as_text: bool = False
    types: frozenset[str] = frozenset()

    @classmethod
    def of_numbers(cls, values: NDArray[np.float64], *, as_text: bool = False) -> "KeyForm":
        """That of floating-point keys (n,)."""
        return cls(decimals=True, fractions=len(_not_whole(values)), as_text=as_text)

    def __add__(self, other: "KeyForm") -> "KeyForm":
        return KeyForm(
            self.words or other.words,
            self.decimals or other.decimals,
            self.fractions + other.fractions,
            self.as_text or other.as_text,
            self.types | other.types,
        )

    @property
    def become_whole(self) -> bool:
        """Whether keys are read as whole numbers that are written in another way."""
        in_other_ways = self.decimals or self.as_text or len(self.types) > 1
        return in_other_ways and not self.words and not self.fractions

    def refuse_fractions(self, key: str) -> None:
        """Raise KeyColumnError for floating-point keys that are not whole."""
        if self.fractions and not self.words:
            raise KeyColumnError.fractional(key, [], self.fractions)


def whole_keys(keys: pd.Series) -> pd.Series:
    """The keys of a table, floating-point ones as whole numbers.

    Raises KeyColumnError for those that are not whole, and where numbers and text are mixed, which no file can keep
    apart.
    """
    if keys.dtype == object:
        kind = types.infer_dtype(keys, skipna=True)
        if kind in ("mixed", "mixed-integer"):
            raise KeyColumnError.mixed(str(keys.name))
        if kind not in ("floating", "mixed-integer-float"):
            return keys
    elif not types.is_float_dtype(keys):
        return keys
    values = keys.to_numpy(dtype=np.float64, na_value=np.nan)
    rows = _not_whole(values)
    if len(rows):
        raise KeyColumnError.fractional(str(keys.name), rows[:3].tolist(), len(rows))
    return pd.Series(values.astype(np.int64), index=keys.index, name=keys.name)


def about_whole_keys(key: str) -> Remark:
    """That keys were read as whole numbers."""
    return Remark(
        "keys-made-whole",
        f"the key {key!r} is stored as decimal numbers, such as 7.0. Every one is whole, so they are read as whole "
        "numbers, such as 7, and written so.",
    )


def _not_whole(values: NDArray[np.float64]) -> NDArray[np.intp]:
    with np.errstate(invalid="ignore"):  # MOST_EXACT may have been the next whole number
        return np.flatnonzero(~((values == np.floor(values)) & (np.abs(values) < MOST_EXACT)))
