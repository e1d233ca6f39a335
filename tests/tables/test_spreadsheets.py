"""xlsx workbooks as spreadsheet programs make them: sheets, gaps, faults, mixed cells."""

from pathlib import Path

import openpyxl
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError, TableFileError


@pytest.fixture
def book(tmp_path: Path) -> Path:
    workbook = openpyxl.Workbook()
    first = workbook.active
    first.title = "Members"
    for row in (["who", "visits", "spend"], ["00417", 3, 1.5], [418, None, "#DIV/0!"], ["4E5", 7, 2], [None] * 3):
        first.append(row)
    workbook.create_sheet("Notes").append(["note"])
    workbook.create_sheet("Untitled").append([None, "x"])
    workbook.save(tmp_path / "book.xlsx")
    return tmp_path / "book.xlsx"


def test_the_first_sheet_is_read_and_the_others_are_named(book: Path) -> None:
    table = gauger.read_table(book)
    assert table["who"].tolist() == ["00417", "418", "4E5"]
    assert table["visits"].tolist() == [3, pd.NA, 7]
    assert table["spend"].tolist()[::2] == [1.5, 2.0]
    assert table["spend"].isna().tolist() == [False, True, False]
    (remark,) = gauger.remarks_of(table)
    assert remark.code == "other-sheets"
    assert "'Notes' and 'Untitled'" in remark.text


@pytest.mark.parametrize(
    ("sheet", "error", "message"),
    [
        ("Membres", SettingError, "Did you mean 'Members'"),
        ("Notes", TableFileError, "no rows"),
        ("Untitled", TableFileError, "no name for column 1"),
    ],
)
def test_a_sheet_that_cannot_be_read_is_refused(book: Path, sheet: str, error: type[Exception], message: str) -> None:
    with pytest.raises(error, match=message):
        gauger.read_table(book, sheet=sheet)


def test_a_named_sheet_is_read_without_a_remark(book: Path) -> None:
    assert gauger.remarks_of(gauger.read_table(book, sheet="Members")) == ()


def test_what_is_no_workbook_is_refused(tmp_path: Path) -> None:
    (tmp_path / "t.xlsx").write_bytes(b"PK\x03\x04 cut short")
    with pytest.raises(TableFileError, match="damaged or cut short"):
        gauger.read_table(tmp_path / "t.xlsx")


def test_formulas_in_text_stay_text_in_the_workbook(tmp_path: Path) -> None:
    path = gauger.write_table(pd.DataFrame({"note": ["=1+1", "@x"], "n": [1, 2]}), tmp_path / "t.xlsx")
    cells = openpyxl.load_workbook(path).active
    assert [(cell.value, cell.data_type) for cell in cells["A"][1:]] == [("=1+1", "s"), ("@x", "s")]


def test_what_a_workbook_cannot_hold_is_refused(tmp_path: Path) -> None:
    with pytest.raises(TableFileError, match="control character"):
        gauger.write_table(pd.DataFrame({"note": ["a\x01"]}), tmp_path / "t.xlsx")
    with pytest.raises(TableFileError, match=r"a sheet holds 1,048,575 rows"):
        gauger.write_table(pd.DataFrame({"n": range(1_048_576)}), tmp_path / "t.xlsx")
    assert list(tmp_path.iterdir()) == []
