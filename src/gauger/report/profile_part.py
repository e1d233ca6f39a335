"""The profile's part of a page: measures in four figures, categories with their bases, and drivers."""

from dataclasses import dataclass

import numpy as np
import pandas as pd

from gauger import draw
from gauger.profiling import EVERYONE, Profile, numbered_name
from gauger.report.cards import shown_segments
from gauger.report.contents import Contents
from gauger.report.html_tables import Cell, HtmlTable, blocks_of, number_cell, p_cell, share_cell, table_of
from gauger.report.pictures import Picture, picture_of
from gauger.segmentation import UNASSIGNED_NAME
from gauger.wording import plain_number

MOST_MEASURES, MOST_LEVELS, MOST_DRIVERS = 60, 80, 25
"""Rows of a page's tables, those that set segments apart most; the rest is in the study's own files; judgement."""

_STEPS = (0.2, 0.5, 1.0)
"""From so many standard deviations a cell is shaded, more and strongly: little, medium (Cohen 1988), and twice that."""

FIGURES = ("mean", "median", "index", "difference")
"""What a cell of the profile can show; difference is from everyone's mean."""


@dataclass(frozen=True)
class ProfilePart:
    """Tables in blocks of segments, the picture of the categories, and what is not shown."""

    measures: tuple[HtmlTable, ...]
    categories: tuple[HtmlTable, ...]
    pictures: tuple[Picture, ...]
    drivers: HtmlTable | None
    associations: HtmlTable | None
    significance: str
    left_out: int


def profile_part(contents: Contents) -> ProfilePart:
    """All of it."""
    profile = contents.profile
    measures = _strongest(profile)
    rest = len(profile.means.columns) - len(measures)
    blocks = blocks_of(shown_segments(profile))
    pictures = [draw.profile_bars(profile)] if len(profile.means.columns) else []
    pictures += [draw.category_shares(profile)] if len(profile.categories) else []
    return ProfilePart(
        tuple(_measure_table(profile, measures, block, blocks) for block in blocks) if measures else (),
        tuple(_level_table(profile, block, blocks) for block in blocks) if len(profile.categories) else (),
        tuple(map(picture_of, pictures)),
        _drivers(profile) if len(profile.drivers) else None,
        _associations(profile) if len(profile.associations) else None,
        " ".join(remark.text for remark in profile.remarks if remark.code == "significance"),
        rest,
    )


def _strongest(profile: Profile) -> list[str]:
    """The measures in the order of what they tell apart."""
    order = [name for name in profile.drivers.index if name in profile.means.columns]
    order += [name for name in profile.means.columns if name not in order]
    return order[:MOST_MEASURES]


def _columns(profile: Profile, block: tuple[int, ...]) -> list[object]:
    """Everyone, the segments of a block, and those in no segment where there are any."""
    return [EVERYONE, *block, *([UNASSIGNED_NAME] if UNASSIGNED_NAME in profile.sizes.index else [])]


def _head(profile: Profile, block: tuple[int, ...]) -> tuple[str, ...]:
    named = (numbered_name(profile, row) if isinstance(row, int) else str(row) for row in _columns(profile, block))
    return tuple(named)


def _caption(what: str, block: tuple[int, ...], blocks: list[tuple[int, ...]]) -> str:
    return what if len(blocks) == 1 else f"{what}: segments {block[0]} to {block[-1]}"


def _measure_table(
    profile: Profile, measures: list[str], block: tuple[int, ...], blocks: list[tuple[int, ...]]
) -> HtmlTable:
    everyone = int(profile.sizes["customers"].to_dict()[EVERYONE])
    tables = {name: getattr(profile, f"{name}s" if name != "index" else name) for name in FIGURES[:3]}
    rows = []
    for measure in measures:
        known = everyone - int(profile.measures["missing"].to_dict()[measure])
        base = Cell(f"{known:,}", float(known))
        cells = [_cell(profile, tables, measure, row) for row in _columns(profile, block)]
        leads = str(profile.measures["leads"].to_dict()[measure])
        rows.append([Cell(measure, others={"leads": leads}), base, *cells])
    head = ("measure", "known of", *_head(profile, block))
    return table_of(_caption("Measures by segment", block, blocks), head, rows)


def _cell(profile: Profile, tables: dict[str, pd.DataFrame], measure: str, row: object) -> Cell:
    """One cell: the figure that leads, and all four beside it."""
    figures = {
        name: float(table[measure].to_dict()[row]) if measure in table else np.nan for name, table in tables.items()
    }
    figures["difference"] = figures["mean"] - float(profile.means[measure].to_dict()[EVERYONE])
    leads = str(profile.measures["leads"].to_dict()[measure])
    told = {name: "–" if np.isnan(value) else _told(name, value) for name, value in figures.items()}
    shade = 0 if row == EVERYONE else _shade(float(profile.scores[measure].to_dict()[row]))
    return Cell(told[leads], None if np.isnan(figures[leads]) else figures[leads], shade, told)


def _told(name: str, value: float) -> str:
    if name == "index":
        return f"{value:,.0f}"
    return f"{'+' if value > 0.0 else ''}{plain_number(value)}" if name == "difference" else plain_number(value)


def _shade(score: float) -> int:
    if np.isnan(score):
        return 0
    steps = sum(abs(score) >= step for step in _STEPS)
    return steps if score > 0.0 else -steps


def _level_table(profile: Profile, block: tuple[int, ...], blocks: list[tuple[int, ...]]) -> HtmlTable:
    rows = []
    for column in dict.fromkeys(profile.known.index):
        known = profile.known.loc[[column]].iloc[0].to_dict()
        rows.append([Cell(f"{column}: known of"), *(number_cell(known[row]) for row in _columns(profile, block))])
        for level in profile.categories.loc[[column]].index.get_level_values("level"):
            rows.append(
                [Cell(f"{column} {level}"), *(_share(profile, column, level, row) for row in _columns(profile, block))]
            )
    head = ("level", *_head(profile, block))
    caption = _of_all("Levels of categories by segment", len(rows), MOST_LEVELS)
    return table_of(_caption(caption, block, blocks), head, rows[:MOST_LEVELS])


def _of_all(what: str, there: int, most: int) -> str:
    """A caption that says how many rows are not in the table."""
    return what if there <= most else f"{what}, the first {most} of {there} rows"


def _share(profile: Profile, column: str, level: str, row: object) -> Cell:
    value = profile.categories.loc[[(column, level)]].iloc[0].to_dict()[row]
    return Cell(profile.share_in_words(column, level, row), None if pd.isna(value) else float(value))


def _drivers(profile: Profile) -> HtmlTable:
    rows = [
        [
            Cell(str(name)),
            Cell(used_in_words(row["used"])),
            share_cell(row["effect"]),
            number_cell(row["F"]),
            p_cell(row["p"]),
            p_cell(row["p_adjusted"]),
        ]
        for name, row in list(profile.drivers.to_dict("index").items())[:MOST_DRIVERS]
    ]
    head = (
        "measure",
        "segments were built on it",
        "effect: share of its variance between them",
        "F",
        "p",
        "p, corrected",
    )
    caption = _of_all("What sets segments apart, the strongest first", len(profile.drivers), MOST_DRIVERS)
    return table_of(caption, head, rows)


def _associations(profile: Profile) -> HtmlTable:
    rows = [
        [
            Cell(str(name)),
            Cell(used_in_words(row["used"])),
            number_cell(row["cramers_v"]),
            number_cell(row["chi_square"]),
            p_cell(row["p"]),
            p_cell(row["p_adjusted"]),
        ]
        for name, row in list(profile.associations.to_dict("index").items())[:MOST_DRIVERS]
    ]
    head = ("category", "segments were built on it", "Cramér's V (0 to 1)", "chi-square", "p", "p, corrected")
    caption = _of_all("How far categories go together with segments", len(profile.associations), MOST_DRIVERS)
    return table_of(caption, head, rows)


def used_in_words(used: object) -> str:
    """Whether segments were built on a column; that may not be known."""
    return "not known" if pd.isna(used) else "yes" if used else "no"  # type: ignore[call-overload]
