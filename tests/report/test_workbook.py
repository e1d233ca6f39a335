"""The workbook: every sheet there, formatted, filtered and frozen; what data hold is text in it."""

from pathlib import Path

import numpy as np
import openpyxl
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError

SHEETS = ["overview", "segments", "profile", "categories", "drivers", "rules", "count study", "cautions", "plan"]
HOSTILE = ("=cmd|' /C calc'!A0", "@SUM(1+1)*cmd", "+1+1", "-1+1")


@pytest.fixture(scope="module")
def seg() -> gauger.Segmentation:
    rng = np.random.default_rng(0)
    group = np.arange(120) % 2
    table = pd.DataFrame(
        {
            "home_id": [f"={at}+1" for at in range(120)],
            "spend_total": np.round(20.0 + 300.0 * group + rng.normal(0.0, 4.0, 120), 2),
            HOSTILE[0]: np.abs(1.0 + group + rng.normal(0.0, 0.2, 120)),
            HOSTILE[1]: np.abs(5.0 - 2.0 * group + rng.normal(0.0, 0.2, 120)),
        }
    )
    return gauger.segment_by_kmeans(gauger.prepare(table, key="home_id"), 2).rename(
        {1: HOSTILE[2], 2: "http://x.example.com"}
    )


@pytest.fixture(scope="module")
def profile(seg: gauger.Segmentation) -> gauger.Profile:
    known = pd.DataFrame({"home_id": seg.features.keys, "kind": np.where(seg.codes == 1, HOSTILE[3], "flat")})
    known.loc[:99, "lift"] = "none"
    known.loc[:19, "lift"] = "one"
    return gauger.profile(seg, known, resamples=3)


@pytest.fixture(scope="module")
def file(seg: gauger.Segmentation, profile: gauger.Profile, tmp_path_factory: pytest.TempPathFactory) -> Path:
    counts = gauger.study_counts(seg.features, counts=(1, 2, 3), references=2, resamples=2)
    out = tmp_path_factory.mktemp("book") / "report.xlsx"
    return gauger.write_workbook(seg, out, profile=profile, counts=counts, assignments=True)


@pytest.fixture(scope="module")
def book(file: Path) -> openpyxl.Workbook:
    return openpyxl.load_workbook(file)


def test_every_sheet_is_there_with_a_frozen_head_and_filters(book: openpyxl.Workbook) -> None:
    assert book.sheetnames == [*SHEETS, "assignments"]
    for name in ("segments", "profile", "categories", "drivers", "rules", "cautions", "assignments"):
        sheet = book[name]
        assert sheet.freeze_panes == "B2"
        assert sheet.auto_filter.ref == f"A1:{sheet.cell(sheet.max_row, sheet.max_column).coordinate}"


def test_no_text_of_the_data_is_a_formula_or_a_link(book: openpyxl.Workbook) -> None:
    cells = [cell for sheet in book for row in sheet.iter_rows() for cell in row if cell.value is not None]
    assert not [cell.coordinate for cell in cells if cell.data_type == "f" or cell.hyperlink]
    told = {cell.value for cell in cells}
    assert {*HOSTILE, "http://x.example.com", "=17+1"} <= told


def test_shares_are_percentages_money_has_two_places_and_numbers_are_numbers(
    book: openpyxl.Workbook, seg: gauger.Segmentation
) -> None:
    segments, profile = book["segments"], book["profile"]
    assert [cell.value for cell in segments[1]][:4] == ["segment", "name", "homes", "share"]
    assert [segments.cell(2, column).value for column in (1, 3, 4)] == [
        1,
        int(seg.sizes[1]),
        pytest.approx(seg.sizes[1] / 120),
    ]
    assert segments["D2"].number_format == "0%"
    means = {
        profile.cell(row, 2).value: row for row in range(2, profile.max_row + 1) if profile.cell(row, 1).value == "mean"
    }
    money = profile.cell(means["spend_total"], 5)
    assert money.number_format == "#,##0.00"
    assert money.value == pytest.approx(seg.centres.loc[1, "spend_total"])
    assert profile.cell(means[HOSTILE[0]], 5).number_format == "0.000"
    assert profile.conditional_formatting


def test_shares_of_fewer_than_thirty_are_counts(book: openpyxl.Workbook, profile: gauger.Profile) -> None:
    sheet = book["categories"]
    rows = {tuple(cell.value for cell in row[:2]): row for row in sheet.iter_rows(min_row=2)}
    whole = rows["kind", "flat"]
    assert isinstance(whole[3].value, float)
    assert whole[3].number_format == "0%"
    assert profile.known.loc["lift"].tolist() == [50, 50, 100]
    assert isinstance(rows["lift", "one"][4].value, float)


def test_the_count_study_has_charts_of_its_own_and_the_advice(book: openpyxl.Workbook) -> None:
    sheet = book["count study"]
    assert [cell.value for cell in sheet["A"][1:4]] == [1, 2, 3]
    assert len(sheet._charts) == 4
    told = " ".join(str(cell.value) for cell in sheet["A"] if cell.value is not None)
    assert "segments, " in told


def test_columns_are_as_wide_as_what_they_hold_within_reason(book: openpyxl.Workbook) -> None:
    widths = {letter: one.width for letter, one in book["assignments"].column_dimensions.items()}
    assert widths["A"] >= len("=119+1") + 1
    assert max(one.width for sheet in book for one in sheet.column_dimensions.values()) <= 130


def test_the_same_study_gives_the_same_bytes(file: Path, seg: gauger.Segmentation, profile: gauger.Profile) -> None:
    counts = gauger.study_counts(seg.features, counts=(1, 2, 3), references=2, resamples=2)
    again = gauger.write_workbook(seg, file.with_name("again.xlsx"), profile=profile, counts=counts, assignments=True)
    assert again.read_bytes() == file.read_bytes()


def test_more_assignments_than_a_sheet_has_rows_are_refused(
    seg: gauger.Segmentation, profile: gauger.Profile, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gauger.report.workbook.MOST_ROWS", 100)
    with pytest.raises(SettingError, match="120 homes are more than a sheet has rows"):
        gauger.write_workbook(seg, tmp_path / "r.xlsx", profile=profile, assignments=True)
    assert list(tmp_path.iterdir()) == []


def test_a_workbook_of_given_segments_without_a_study_says_so(
    seg: gauger.Segmentation, profile: gauger.Profile, tmp_path: Path
) -> None:
    book = openpyxl.load_workbook(gauger.write_workbook(seg, tmp_path / "r.xlsx", profile=profile, title="Homes"))
    assert book.sheetnames == SHEETS
    assert book["count study"]["A1"].value == "How many segments there are was not studied."
    assert book["overview"]["A1"].value == "Homes"
