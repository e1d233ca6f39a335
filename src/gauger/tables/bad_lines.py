"""Lines of a file that cannot be read: refused by number, or kept aside in a file of their own."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import pandas as pd

from gauger.errors import OutputError, TableFileError
from gauger.remarks import Remark
from gauger.tables.writing import write_table
from gauger.wording import listed, plural


@dataclass(frozen=True)
class BadLine:
    """A line that cannot be read: its number in the file, counted from 1, what is wrong with it, and its text."""

    number: int
    fault: str
    text: str


def refuse_bad_lines(path: Path, bad: Sequence[BadLine], expected: str) -> TableFileError:
    """The error that names the first bad lines and says what was expected of them."""
    bad_ones = listed([f"line {line.number} ({line.fault})" for line in bad])
    lines = plural(len(bad), "line does", "lines do")
    return TableFileError(
        f"{path}: {len(bad):,} {lines} not hold {expected}: {bad_ones}. Correct them, or go on without them: "
        "skip_bad_lines='bad.csv' (on the command line: --skip-bad-lines bad.csv)."
    )


def refuse_to_replace(kept: Path) -> None:
    """Raise OutputError when a file stands where the bad lines are to go."""
    if kept.exists():
        raise OutputError(f"{kept} is there already, and bad lines never replace a file. Name another, or remove it.")


def keep_bad_lines(path: Path, bad: Sequence[BadLine], kept: Path) -> list[Remark]:
    """Write the bad lines to a file of their own, and the remark that says so."""
    table = pd.DataFrame(
        {
            "line": [line.number for line in bad],
            "fault": [line.fault for line in bad],
            "text": [line.text for line in bad],
        }
    )
    write_table(table, kept)
    lines = f"{len(bad):,} {plural(len(bad), 'line')} of {path.name}"
    were = plural(len(bad), "was", "were")
    return [Remark("bad-lines-skipped", f"{lines} could not be read and {were} left out; see {kept}.")]
