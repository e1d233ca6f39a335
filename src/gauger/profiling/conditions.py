"""Conditions on columns, such as "visits >= 9 and household == 'family'": read by a small grammar, never run as code.

condition   = conjunction { "or" conjunction }
conjunction = negation { "and" negation }
negation    = "not" negation | "(" condition ")" | comparison
comparison  = value { sign value } | value ["not"] "in" "(" literal { "," literal } ")"
sign        = "==" | "!=" | "<" | "<=" | ">" | ">="
"""

import operator
import re
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from pandas.api import types

from gauger.errors import ColumnValuesError, SettingError, UnknownColumnError

_LONGEST, _DEEPEST = 10_000, 100
"""Characters, and brackets within brackets, that a condition may have: more is a mistake or an attack."""

_TOKEN = re.compile(
    r"""\s*(?:(?P<number>[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)(?![\w.])
    |(?P<text>"[^"]*"|'[^']*')|`(?P<quoted>[^`]+)`|(?P<word>[^\W\d]\w*)|(?P<sign>==|!=|<=|>=|<|>|[()\[\],]))""",
    re.VERBOSE,
)
_COMPARE: dict[str, Callable[[Any, Any], Any]] = {
    "==": operator.eq,
    "!=": operator.ne,
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}
_MIRRORED = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "==": "==", "!=": "!="}
_KEYWORDS = ("and", "or", "not", "in", "true", "false")
_LIKE = "Write it like spend_total > 200, or household == 'family' and visits >= 9."

Mask = NDArray[np.bool_]
Literal = float | str | bool


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str


@dataclass(frozen=True)
class _Column:
    name: str


def rows_that_meet(table: pd.DataFrame, condition: str) -> Mask:
    """For which rows (n,) of a table a condition holds; a gap meets no comparison.

    Raises SettingError for what is no condition, UnknownColumnError for a column that is not there, and
    ColumnValuesError for values that cannot be compared, such as a text with a number.
    """
    if len(condition) > _LONGEST:
        raise SettingError(f"the condition has {len(condition):,} characters, more than {_LONGEST:,}. {_LIKE}")
    return _Reader(table, condition).whole()


class _Reader:
    """Reads a condition from left to right, and says for which rows each part holds."""

    def __init__(self, table: pd.DataFrame, condition: str) -> None:
        self._table, self._condition = table, condition
        self._tokens = _tokens(condition)
        self._place, self._depth = 0, 0

    def whole(self) -> Mask:
        found = self._either()
        if self._place < len(self._tokens):
            raise self._fault(f"{self._tokens[self._place].text!r} was not expected there")
        return found

    def _either(self) -> Mask:
        found = self._both()
        while self._takes("or"):
            found = found | self._both()
        return found

    def _both(self) -> Mask:
        found = self._negation()
        while self._takes("and"):
            found = found & self._negation()
        return found

    def _negation(self) -> Mask:
        self._depth += 1
        if self._depth > _DEEPEST:
            raise self._fault(f"it is nested more than {_DEEPEST} deep")
        if self._takes("not"):
            found = ~self._negation()
        elif self._takes("("):
            found = self._either()
            self._expect(")")
        else:
            found = self._comparison()
        self._depth -= 1
        return found

    def _comparison(self) -> Mask:
        values: list[_Column | Literal] = [self._value()]
        if self._next() in ("in", "not"):
            negated = self._takes("not")
            self._expect("in")
            found = self._among(values[0])
            return self._there(values[0]) & ~found if negated else found
        signs = []
        while self._next() in _COMPARE:
            signs.append(self._tokens[self._place].text)
            self._place += 1
            values.append(self._value())
        if not signs:
            return self._flag(values[0])
        found = np.ones(len(self._table), dtype=np.bool_)
        for sign, (one, other) in zip(signs, pairwise(values), strict=True):
            found &= self._compared(one, sign, other)
        return found

    def _value(self) -> _Column | Literal:
        if self._place == len(self._tokens):
            raise self._fault("it ends where a column or a value should stand")
        token = self._tokens[self._place]
        self._place += 1
        if token.kind == "number":
            return float(token.text)
        if token.kind == "text":
            return token.text
        word = token.text.lower()
        if token.kind == "word" and word in ("true", "false"):
            return word == "true"
        if token.kind == "sign" or (token.kind == "word" and word in _KEYWORDS):
            raise self._fault(f"{token.text!r} stands where a column or a value should")
        if token.text not in self._table.columns:
            raise UnknownColumnError.among([token.text], list(map(str, self._table.columns)))
        return _Column(token.text)

    def _among(self, value: _Column | Literal) -> Mask:
        closing = "]" if self._next() == "[" else ")"
        self._expect("[" if closing == "]" else "(")
        found = np.zeros(len(self._table), dtype=np.bool_)
        while True:
            other = self._value()
            if isinstance(other, _Column):
                raise self._fault("a list after 'in' holds values, not columns")
            found |= self._compared(value, "==", other)
            if not self._takes(","):
                break
        self._expect(closing)
        return found

    def _flag(self, value: _Column | Literal) -> Mask:
        if isinstance(value, _Column) and types.is_bool_dtype(self._table[value.name].dropna()):
            return self._compared(value, "==", True)
        shown = value.name if isinstance(value, _Column) else value
        raise self._fault(f"{shown!r} alone is neither true nor false: compare it with a value")

    def _there(self, value: _Column | Literal) -> Mask:
        if not isinstance(value, _Column):
            return np.ones(len(self._table), dtype=np.bool_)
        return np.asarray(self._table[value.name].notna(), dtype=np.bool_)

    def _compared(self, one: _Column | Literal, sign: str, other: _Column | Literal) -> Mask:
        if not isinstance(one, _Column):
            if not isinstance(other, _Column):
                raise self._fault("it compares two values, and no column")
            one, sign, other = other, _MIRRORED[sign], one
        left = self._table[one.name]
        right = self._table[other.name] if isinstance(other, _Column) else _fitting(left, other, one.name)
        there = self._there(one) & self._there(other)
        found = np.zeros(len(left), dtype=np.bool_)
        if isinstance(other, _Column):
            _refuse_other_kind(left, self._table[other.name], one.name, other.name)
        values = right[there] if isinstance(right, pd.Series) else right
        try:
            found[there] = np.asarray(_COMPARE[sign](left[there], values), dtype=np.bool_)
        except TypeError as error:
            raise ColumnValuesError(f"{one.name!r} holds values that cannot be put in order.") from error
        return found

    def _next(self) -> str:
        if self._place == len(self._tokens):
            return ""
        token = self._tokens[self._place]
        return token.text.lower() if token.kind in ("word", "sign") else ""

    def _takes(self, word: str) -> bool:
        found = self._next() == word
        self._place += found
        return found

    def _expect(self, word: str) -> None:
        if not self._takes(word):
            raise self._fault(f"{word!r} is missing")

    def _fault(self, what: str) -> SettingError:
        return _fault(self._condition, what)


def _fault(condition: str, what: str) -> SettingError:
    shown = condition if len(condition) <= 80 else f"{condition[:80]}…"
    return SettingError(f"{shown!r} is no condition that can be read: {what}. {_LIKE}")


def _tokens(condition: str) -> list[_Token]:
    found, index = [], 0
    while condition[index:].strip():
        match = _TOKEN.match(condition, index)
        if match is None:
            raise _fault(condition, _odd_sign(condition[index:].strip()))
        kind = match.lastgroup or ""
        text = match[kind]
        found.append(_Token(kind, text[1:-1] if kind == "text" else text))
        index = match.end()
    return found


def _odd_sign(rest: str) -> str:
    if rest[0] == "=":
        return "write == to compare"
    if rest[0] in "&|":
        return "write and, or"
    if rest[0] == "!":
        return "write not, or != for another value"
    if rest[0] in "\"'`":
        return "a quote is not closed"
    return f"{rest[0]!r} has no meaning there (only columns, values, comparisons, and, or, not, in, brackets have)"


def _fitting(column: pd.Series, value: Literal, name: str) -> object:
    """A literal as what a column holds; raises ColumnValuesError where it cannot be that."""
    if types.is_datetime64_any_dtype(column):
        try:
            moment = pd.Timestamp(value) if isinstance(value, str) else None
        except ValueError:
            moment = None
        if moment is None or bool(pd.isna(moment)):
            raise ColumnValuesError(f"{name!r} holds dates: compare it with one in quotes, such as '2025-12-31'.")
        return moment.tz_localize(column.dt.tz) if moment.tzinfo is None else moment
    if types.is_bool_dtype(column) or types.is_bool_dtype(column.dropna()):
        fits = isinstance(value, bool) or value in (0.0, 1.0)
    elif types.is_numeric_dtype(column):
        fits = isinstance(value, float)
    else:
        fits = isinstance(value, str)
    if not fits:
        kind = (
            "true or false" if types.is_bool_dtype(column) else "numbers" if types.is_numeric_dtype(column) else "text"
        )
        shown = f"{value:g}" if isinstance(value, float) else repr(value)
        raise ColumnValuesError(
            f"{name!r} holds {kind}, which cannot be compared with {shown}: text stands in quotes, numbers do not."
        )
    return bool(value) if types.is_bool_dtype(column) else value


def _refuse_other_kind(left: pd.Series, right: pd.Series, name: str, other: str) -> None:
    kinds = [
        "dates" if types.is_datetime64_any_dtype(one) else "numbers" if types.is_numeric_dtype(one) else "text"
        for one in (left, right)
    ]
    if kinds[0] != kinds[1]:
        raise ColumnValuesError(f"{name!r} holds {kinds[0]} and {other!r} {kinds[1]}: they cannot be compared.")
