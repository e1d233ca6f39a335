"""Levels of categories: one identity with its kind, however the column is stored and wherever it is read."""

import contextlib
import datetime
import math
import re
from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from numbers import Real
from typing import Literal, get_args

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.tables import is_plain_number, sql_text

Kind = Literal["text", "flag", "number", "date"]
KINDS: tuple[Kind, ...] = get_args(Kind)

_FLAGS = {"true": ("true", "True", "TRUE"), "false": ("false", "False", "FALSE")}
_IN_SQL = {"true": ("true", "t", "1"), "false": ("false", "f", "0")}
_DATE = re.compile(r"\d{4}-\d\d-\d\d([ T]\d\d:\d\d(:\d\d(\.\d{1,6})?)?)?")
_PMML_TYPES = {"text": "string", "flag": "boolean", "number": "double", "date": "dateTime"}


@dataclass(frozen=True)
class Level:
    """One level of a category: its `kind`, and its `text` in the one form that the kind has.

    A flag is true or false, a number the shortest text that reads back as it (7, 1.5), a date ISO 8601 without a time
    at midnight, a text itself.
    """

    kind: Kind
    text: str

    @classmethod
    def of(cls, value: object) -> "Level":
        """The level that a value (no gap) is."""
        if isinstance(value, (bool, np.bool_)):
            return cls("flag", "true" if value else "false")
        if isinstance(value, (Real, Decimal)):
            return cls("number", _number_text(value))
        if isinstance(value, np.datetime64):
            value = pd.Timestamp(value)
        if isinstance(value, datetime.date):
            return cls("date", _date_text(value))
        return cls("text", str(value))

    @property
    def name(self) -> str:
        """The level as part of a column's name."""
        text = self.text.replace("-", "minus_") if self.kind == "number" else self.text
        return re.sub(r"\W+", "_", text.strip().lower()).strip("_") or "blank"

    @property
    def order(self) -> tuple[str, float, str]:
        """Levels by kind, numbers by size, others by their text."""
        return self.kind, float(self.text) if self.kind == "number" else 0.0, self.text

    def is_that_of(self, value: object) -> bool:
        """Whether a value is this level; what is stored as another kind counts when it reads as this one.

        The text "1.50" is the number 1.5 and "TRUE" the flag true, but two texts are one level only when they are
        equal.
        """
        own = Level.of(value)
        if own == self:
            return True
        if own.kind == "text":
            return self in _readings(own.text)
        if self.kind == "text":
            return own in _readings(self.text)
        return {self.kind, own.kind} == {"flag", "number"} and _as_bit(self) == _as_bit(own)

    def within(self, column: pd.Series) -> NDArray[np.bool_]:
        """Which rows (n,) of a column have the level; a gap has none."""
        codes, distinct = pd.factorize(column)
        alike = np.array([self.is_that_of(value) for value in distinct] + [False], dtype=np.bool_)
        return np.asarray(alike[codes])  # a gap's code is -1, the last place

    def sql_test(self, column: str, dialect: str) -> str:
        """A condition in DuckDB's words that a column (an SQL expression) has the level, for a database of a
        dialect."""
        if self.kind == "text":
            return f"CAST({column} AS TEXT) = {sql_text(self.text)}"
        if self.kind == "flag":
            words = ", ".join(map(sql_text, _IN_SQL[self.text]))
            return f"LOWER(CAST({column} AS TEXT)) IN ({words})"
        if self.kind == "number":
            return f"CAST({column} AS DOUBLE PRECISION) = {float(self.text)!r}e0".replace("e0e0", "e0")
        if dialect == "sqlite":  # it has no dates, but texts that look like some
            moment = datetime.datetime.fromisoformat(self.text).isoformat(sep=" ")
            forms = dict.fromkeys([self.text, moment])
            listed = ", ".join(map(sql_text, forms))
            return f"SUBSTR(REPLACE(CAST({column} AS TEXT), 'T', ' '), 1, {len(moment)}) IN ({listed})"
        return f"CAST({column} AS TIMESTAMP) = CAST({sql_text(self.text)} AS TIMESTAMP)"

    @property
    def pmml_type(self) -> str:
        """The data type of PMML that holds the level."""
        return _PMML_TYPES[self.kind]

    @property
    def pmml_text(self) -> str:
        """The level as a constant of that type."""
        return datetime.datetime.fromisoformat(self.text).isoformat() if self.kind == "date" else self.text


def distinct_levels(column: pd.Series) -> list[Level]:
    """Every level of a column, in order."""
    return sorted({Level.of(value) for value in column.dropna().unique()}, key=lambda level: level.order)


def strangers_of(column: pd.Series, known: Iterable[Level]) -> set[str]:
    """The values of a column, as text, that are none of the known levels."""
    levels = list(known)
    values = column.dropna().unique()
    return {Level.of(value).text for value in values if not any(level.is_that_of(value) for level in levels)}


def _readings(text: str) -> set[Level]:
    """What other kinds of level a text can be read as, by the rules that a column of text is read by."""
    found = {Level("flag", word) for word, forms in _FLAGS.items() if text in forms}
    if is_plain_number(text):
        found.add(Level("number", _number_text(float(text))))
    if _DATE.fullmatch(text):
        with contextlib.suppress(ValueError):  # such as the 31st of February
            found.add(Level("date", _date_text(datetime.datetime.fromisoformat(text))))
    return found


def _as_bit(level: Level) -> float:
    return float(level.text == "true") if level.kind == "flag" else float(level.text)


def _number_text(value: object) -> str:
    number = float(value)  # type: ignore[arg-type]
    if math.isfinite(number) and number == int(number) and abs(number) < 2**63:
        whole = int(value)  # type: ignore[call-overload]
        return str(whole)
    return repr(number)


def _date_text(value: datetime.date) -> str:
    if not isinstance(value, datetime.datetime):
        return value.isoformat()
    moment = value.replace(tzinfo=None)
    text = moment.isoformat(sep=" ")
    return text.removesuffix(" 00:00:00")
