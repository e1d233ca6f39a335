"""Text that a spreadsheet would take for a formula: escaped when written, and as it was when read back."""

import re

import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc

_FORMULA = r"^('*[=+\-@\t\r])"
_GUARDED = r"^'('*[=+\-@\t\r])"


def escaped(text: "pd.Series[str]") -> "pd.Series[str]":
    """Text with an apostrophe before whatever starts like a formula; what already has one gets another."""
    return text.str.replace(_FORMULA, r"'\1", regex=True)


def escaped_arrow(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """The same for a column of Arrow text."""
    return pc.replace_substring_regex(column, _FORMULA, r"'\1")


def escaped_name(name: str) -> str:
    """A column name, with an apostrophe before it when it starts like a formula."""
    return re.sub(_FORMULA, r"'\1", name)


def unescaped_name(name: str) -> str:
    """The column name before `escaped_name`."""
    return re.sub(_GUARDED, r"\1", name)


def unescaped(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """The text before `escaped`."""
    if not pc.any(pc.starts_with(column, "'")).as_py():
        return column
    return pc.replace_substring_regex(column, _GUARDED, r"\1")
