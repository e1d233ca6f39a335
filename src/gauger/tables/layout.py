"""How a delimited file is laid out: its delimiter, its quotes, and whether its first line names the columns."""

import csv
import io
import re
import sys
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from itertools import islice, pairwise
from pathlib import Path

from gauger.columns import refuse_bad_names
from gauger.errors import TableFileError
from gauger.remarks import Remark
from gauger.tables.formula_escaping import unescaped_name
from gauger.tables.text import UTF8, TextFile
from gauger.wording import listed

DELIMITERS = ",;\t|"

_VALUE = re.compile(r"[+-]?\d+([.,]\d+)?|\d{4}-\d\d-\d\d.*")
_HEAD_LINES = 200
"""As many lines tell the layout; judgement: enough to see quoted delimiters, quick to read."""
_LONGEST_LINE = 1_000_000
"""A first line of more characters is no line of a table."""


@dataclass(frozen=True)
class Layout:
    """How a delimited file is laid out: its delimiter and quote, its column names, and whether a line names them."""

    delimiter: str
    quote: str
    names: tuple[str, ...]
    header: bool

    @property
    def columns(self) -> list[str]:
        """The column names as they were before formulas in them were escaped."""
        return [unescaped_name(name) for name in self.names]

    def remarks(self, text: TextFile, asked: bool | None) -> list[Remark]:
        """That names were made up, where nobody asked for it."""
        if self.header or asked is False:
            return []
        return [
            Remark(
                "header-missing",
                f"the first line of {text.path.name} looks like data, not like names, so its columns are called "
                f"{listed(self.names)}. If it names them, say header=True (on the command line: --header).",
            )
        ]


@contextmanager
def long_cells() -> Iterator[None]:
    """Let Python's reader of csv take cells of any length inside the block."""
    before = csv.field_size_limit(sys.maxsize)
    try:
        yield
    finally:
        csv.field_size_limit(before)


def find_layout(text: TextFile, header: bool | None) -> Layout:
    """The layout of a delimited file, from its first lines."""
    with text.open_text() as stream:
        first = stream.readline(_LONGEST_LINE)
        if "\0" in first:
            raise TableFileError(f"{text.path} is not text: its first line holds zero bytes. Export it again as csv.")
        if len(first) == _LONGEST_LINE:
            raise TableFileError(f"{text.path} is not delimited text: its first line does not end.")
        lines = [first, *islice(iter(lambda: stream.readline(_LONGEST_LINE), ""), _HEAD_LINES)]
    try:
        with long_cells():
            delimiter, quote = _signs(lines)
            cells = next(csv.reader(lines, delimiter=delimiter, quotechar=quote), [])
    except csv.Error as error:
        raise TableFileError(f"{text.path} is not delimited text: {error}.") from error
    named = not _looks_like_data(cells) if header is None else header
    if not named:
        return Layout(delimiter, quote, tuple(f"column_{index}" for index in range(1, len(cells) + 1)), header=False)
    refuse_bad_names(str(text.path), [unescaped_name(name) for name in cells])
    return Layout(delimiter, quote, tuple(cells), header=True)


def _signs(lines: Sequence[str]) -> tuple[str, str]:
    """Delimiter and quote: those that the first line allows; where it allows several, the SQL engine's sniffer decides.

    What the sniffer does not tell, the delimiter does that parts most lines like the first, into most cells.
    """
    first = lines[0]
    found = [sign for sign in DELIMITERS if sign in first]
    quotes = {sign: "'" if first.startswith("'") and f"'{sign}'" in first else '"' for sign in found}
    if len(found) < 2:
        return (found[0], quotes[found[0]]) if found else (",", '"')
    sniffed = _sniffed(lines)
    if sniffed in found:
        return sniffed, quotes[sniffed]
    best = max(found, key=lambda sign: _evenness(lines, sign, quotes[sign]))
    return best, quotes[best]


def _sniffed(lines: Sequence[str]) -> str | None:
    """The delimiter that the embedded SQL engine finds, None when it cannot tell."""
    import duckdb

    with tempfile.TemporaryDirectory(prefix="gauger-layout-") as folder:
        head = Path(folder) / "head.csv"
        head.write_text("".join(lines), encoding=UTF8, errors="replace", newline="")
        try:
            with duckdb.connect() as database:
                found = database.execute("SELECT Delimiter FROM sniff_csv(?)", [str(head)]).fetchone()
        except duckdb.Error:
            return None
    return None if found is None else str(found[0]).replace("\\t", "\t")


def _evenness(lines: Sequence[str], delimiter: str, quote: str) -> tuple[float, int]:
    """The share of lines with as many cells as the first, and how many these are."""
    try:
        widths = [len(cells) for cells in csv.reader(io.StringIO("".join(lines)), delimiter=delimiter, quotechar=quote)]
    except csv.Error:
        return 0.0, 0
    return sum(width == widths[0] for width in widths) / len(widths), widths[0]


def _looks_like_data(cells: Sequence[str]) -> bool:
    """Whether a first line holds values; numbers or dates that rise from cell to cell are periods, and thus names."""
    values = [cell for cell in cells if _VALUE.fullmatch(cell)]
    if not values:
        return False
    keys = [(int(value), "") if value.isdigit() else (0, value) for value in values]
    return len(values) < 2 or not all(early < late for early, late in pairwise(keys))
