"""The report as a workbook: a sheet a table, formatted, filtered and frozen; nothing that data hold is a formula."""

from datetime import datetime
from pathlib import Path
from typing import Any

import pandas as pd
import xlsxwriter

from gauger.errors import SettingError
from gauger.profiling import EVERYONE, FEWEST_SHARED, Profile, mixed_up_with, numbered_name, what_it_is_called
from gauger.report.contents import Contents
from gauger.report.count_sheet import add_count_study
from gauger.report.findings import three_sentences
from gauger.report.page import facts_of
from gauger.report.profile_part import FIGURES, used_in_words
from gauger.report.sheets import Sheets, number_format

MOST_ROWS = 1_048_575
"""Rows that a sheet of a workbook has below its head."""

_UNDATED = datetime(2000, 1, 1)
"""What a workbook says of its making, so that the same study gives the same bytes."""


def write_sheets(contents: Contents, file: Path, *, assignments: bool) -> None:
    """Write the workbook; raises SettingError for more assignments than a sheet has rows."""
    if assignments and len(contents.seg.codes) > MOST_ROWS:
        raise SettingError(
            f"{contents.noun.counted(len(contents.seg.codes))} are more than a sheet has rows ({MOST_ROWS:,}): leave "
            "the assignments out, and hand over assignments.csv."
        )
    options = {"strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
    with xlsxwriter.Workbook(str(file), options) as book:
        book.set_properties({"title": contents.heading, "created": _UNDATED})
        sheets = Sheets(book)
        _add_overview(sheets, contents)
        _add_segments(sheets, contents)
        _add_profile(sheets, contents)
        _add_categories(sheets, contents)
        _add_drivers(sheets, contents)
        _add_rules(sheets, contents)
        add_count_study(sheets, contents)
        _add_cautions(sheets, contents)
        _add_plan(sheets, contents)
        if assignments:
            _add_assignments(sheets, contents)


def _add_overview(sheets: Sheets, contents: Contents) -> None:
    sheet = sheets.new("overview")
    sheet.line(contents.heading, "title")
    for sentence in three_sentences(contents):
        sheet.line(sentence, "text")
    sheet.line("")
    for name, value in facts_of(contents):
        sheet.pair(name, value)
    for name, value in contents.provenance.fingerprints.items():
        sheet.pair(f"SHA-256 of {name}", value)
    sheet.widths(24, 110)


def _add_segments(sheets: Sheets, contents: Contents) -> None:
    profile = contents.profile
    totals = [name for name in profile.sizes.columns if name.startswith("share_of_")]
    head = ["segment", "name", contents.noun.many, "share", *(name.replace("_", " ") for name in totals)]
    head += ["mixed up with", "comes back (0 to 1)"]
    rows: list[list[Any]] = []
    stability = profile.overlap["stability"].to_dict() if profile.overlap.shape[1] else {}
    for row in profile.sizes.index:
        size = profile.sizes.loc[[row]].iloc[0].to_dict()
        number = row if isinstance(row, int) else 0
        rows.append(
            [
                number or None,
                what_it_is_called(profile, number) if number else str(row),
                int(size["customers"]),
                float(size["share"]),
                *(float(size[name]) for name in totals),
                mixed_up_with(profile, number) if number else "",
                stability.get(number),
            ]
        )
    formats = ["whole", "text", "whole", "share", *("share" for _ in totals), "text", "number"]
    sheets.new("segments").table(head, rows, formats)


def _add_profile(sheets: Sheets, contents: Contents) -> None:
    """A row a figure and measure: means, medians and the index by segment, each row on a colour scale of its own."""
    profile = contents.profile
    columns: list[object] = [EVERYONE, *profile.numbers]
    head = [
        "figure",
        "measure",
        "known of",
        "everyone",
        *(numbered_name(profile, number) for number in profile.numbers),
    ]
    everyone = int(profile.sizes["customers"].to_dict()[EVERYONE])
    rows, formats = [], []
    for figure in FIGURES[:3]:
        table = getattr(profile, f"{figure}s" if figure != "index" else figure)
        for measure in profile.means.columns:
            known = everyone - int(profile.measures["missing"].to_dict()[measure])
            values = table[measure].to_dict()
            rows.append([figure, str(measure), known, *(values[column] for column in columns)])
            formats.append("index" if figure == "index" else number_format(str(measure), profile.means[measure]))
    sheet = sheets.new("profile")
    sheet.table(head, rows, ["text", "text", "whole", *("number" for _ in columns)], formats_of_rows=formats)
    for at, row in enumerate(rows, 1):
        sheet.colour_scale(at, 4, at, len(head) - 1, middle=100.0 if row[0] == "index" else row[3])


def _names(profile: Profile) -> list[str]:
    return [numbered_name(profile, number) for number in profile.numbers]


def _add_categories(sheets: Sheets, contents: Contents) -> None:
    profile = contents.profile
    columns: list[object] = [EVERYONE, *profile.numbers]
    head = [
        "category",
        "level",
        "known of",
        "everyone",
        *(numbered_name(profile, number) for number in profile.numbers),
    ]
    rows = []
    shares = profile.categories.to_dict("records")
    for (column, level), own in zip(profile.categories.index.tolist(), shares, strict=True):
        known = profile.known.loc[[column]].iloc[0].to_dict()
        told = [
            float(own[row]) if known[row] >= FEWEST_SHARED else profile.share_in_words(column, level, row)
            for row in columns
        ]
        rows.append([str(column), str(level), int(known[EVERYONE]), *told])
    sheets.new("categories").table(head, rows, ["text", "text", "whole", *("share" for _ in columns)])


def _add_drivers(sheets: Sheets, contents: Contents) -> None:
    profile = contents.profile
    kinds = (("measure", profile.drivers, "effect", "F"), ("category", profile.associations, "cramers_v", "chi_square"))
    rows = [
        [str(name), used_in_words(row["used"]), kind, row[effect], row[statistic], row["p"], row["p_adjusted"]]
        for kind, table, effect, statistic in kinds
        for name, row in table.to_dict("index").items()
    ]
    head = ["column", "segments were built on it", "kind", "effect (0 to 1)", "F or chi-square", "p", "p, corrected"]
    sheet = sheets.new("drivers")
    sheet.table(head, rows, ["text", "text", "text", "number", "number", "p", "p"])


def _add_rules(sheets: Sheets, contents: Contents) -> None:
    profile = contents.profile
    rows = [
        [
            int(str(number)),
            what_it_is_called(profile, int(str(number))),
            str(row["rule"]),
            row["matching"],
            row["share_of_segment"],
            row["share_of_matching"],
        ]
        for number, row in profile.rules.to_dict("index").items()
    ]
    head = [
        "segment",
        "name",
        "rule",
        f"{contents.noun.many} who match",
        "share of the segment",
        "share of those who match",
    ]
    sheets.new("rules").table(head, rows, ["whole", "text", "text", "whole", "share", "share"])


def _add_cautions(sheets: Sheets, contents: Contents) -> None:
    rows = [
        [remark.code, remark.text, ", ".join(remark.features), ", ".join(map(str, remark.segments))]
        for remark in contents.remarks
    ]
    sheets.new("cautions").table(["code", "what was seen, and what to do", "features", "segments"], rows, ["text"] * 4)


def _add_plan(sheets: Sheets, contents: Contents) -> None:
    sheet = sheets.new("plan")
    text = contents.provenance.plan or "The segments were made in Python: gauger.save_study keeps a plan."
    for line in text.splitlines():
        sheet.line(line, "code")
    sheet.widths(120)


def _add_assignments(sheets: Sheets, contents: Contents) -> None:
    table = contents.seg.assignments
    kinds = ["number" if pd.api.types.is_float_dtype(kind) else "plain" for kind in table.dtypes]
    columns = [column.astype(object).where(column.notna(), None).tolist() for _, column in table.items()]
    sheets.new("assignments").table(list(map(str, table.columns)), list(map(list, zip(*columns, strict=True))), kinds)
