"""How firm segments are: overlap, stability and silhouettes; and how they stand beside other divisions and times."""

from dataclasses import dataclass

import pandas as pd

from gauger import draw
from gauger.campaigns import Outcome
from gauger.choosing import silhouette
from gauger.monitoring import Migration
from gauger.profiling import Comparison, numbered_name
from gauger.report.contents import Contents
from gauger.report.html_tables import Cell, HtmlTable, number_cell, share_cell, table_of
from gauger.report.pictures import Picture, picture_of
from gauger.wording import percent

_MOST_WAYS = 12
"""Ways between segments that are tabulated, the largest: judgement."""


@dataclass(frozen=True)
class OtherDivision:
    """Segments beside something else: its title, what it comes to in sentences, a picture and a table."""

    title: str
    sentences: tuple[str, ...]
    picture: Picture | None
    table: HtmlTable | None


@dataclass(frozen=True)
class Firmness:
    """The table of overlap, stability and silhouettes, a picture, and everything that segments stand beside."""

    table: HtmlTable | None
    picture: Picture | None
    beside: tuple[OtherDivision, ...]


def firmness(contents: Contents) -> Firmness:
    """All that there is of it."""
    seg = contents.seg
    several = seg.count > 1 and contents.at_hand
    picture = picture_of(draw.silhouettes_and_scatter(seg)) if several and len(seg.features.names) > 1 else None
    beside = [
        *(_comparison(one) for one in contents.comparisons),
        *(_migration(name, one) for name, one in contents.migrations.items()),
        *(_outcome(one) for one in contents.outcomes),
    ]
    return Firmness(_overlap(contents) if several else None, picture, tuple(beside))


def _overlap(contents: Contents) -> HtmlTable:
    profile, apart = contents.profile, silhouette(contents.seg)
    overlap = profile.overlap
    tried = int(overlap["resamples"].max()) if overlap.shape[1] else 0
    rows = []
    for number in profile.numbers:
        known = overlap.loc[[number]].iloc[0].to_dict() if overlap.shape[1] else {}
        nearest = known.get("nearest")
        rows.append(
            [
                Cell(numbered_name(profile, number)),
                Cell("–" if nearest is None or pd.isna(nearest) else numbered_name(profile, int(nearest))),
                share_cell(known.get("near_share")),
                number_cell(known.get("stability") if tried else None),
                number_cell(known.get("dissolved") if tried else None),
                number_cell(apart.by_segment.to_dict()[number]),
                share_cell(apart.below_zero.to_dict()[number]),
            ]
        )
    head = (
        *("segment", "nearest other", "nearly as close to it", "comes back (0 to 1)"),
        *(f"dissolved in {tried} resamples", "mean silhouette", "nearer to another"),
    )
    return table_of("How firmly each segment stands", head, rows)


def _comparison(comparison: Comparison) -> OtherDivision:
    rows = [
        [
            Cell(str(row["name"])),
            Cell("–" if row["other_name"] is None or pd.isna(row["other_name"]) else str(row["other_name"])),
            number_cell(row["customers"]),
            share_cell(row["share"]),
            share_cell(row["overlap"]),
        ]
        for row in comparison.matched.to_dict("records")
    ]
    head = ("segment", "matches", f"{comparison.noun.many} in both", "of the segment", "of all in either")
    return OtherDivision(
        f"Beside {comparison.other.title}",
        tuple(filter(None, (f"{comparison.headline()}.", comparison.answer))),
        picture_of(draw.flow(comparison)),
        table_of(f"Segments and {comparison.other.title}", head, rows),
    )


def _migration(name: str, migration: Migration) -> OtherDivision:
    ways = migration.flows[migration.flows["before"] != migration.flows["after"]]
    ways = ways.sort_values("customers", ascending=False, kind="stable").head(_MOST_WAYS)
    rows = [
        [
            Cell(migration.names[row["before"]]),
            Cell(migration.names[row["after"]]),
            number_cell(row["customers"]),
            share_cell(row["share"]),
            number_cell(row["expected"]),
            Cell("more than chance" if row["exceeds"] else "as chance would"),
        ]
        for row in ways.to_dict("records")
    ]
    head = ("before", "after", migration.noun.many, "of those before", "by chance", "reading")
    told = f"{migration.headline()}. By chance {percent(migration.chance)} would have moved."
    return OtherDivision(
        f"Who moved since {name}",
        (told,),
        picture_of(draw.migration_flow(migration)),
        table_of("The largest ways between segments", head, rows) if rows else None,
    )


def _outcome(outcome: Outcome) -> OtherDivision:
    rows = [
        [
            Cell(str(row["name"])),
            number_cell(row["contacted"]),
            number_cell(row["holdout"]),
            share_cell(row["response"]),
            share_cell(row["holdout_response"]),
            Cell(_points(row["uplift"], row["low"], row["high"])),
            Cell(str(row["reading"])),
        ]
        for row in outcome.table.to_dict("records")
    ]
    head = ("segment", "contacted", "held out", "response", "of those held out", "uplift (95 % interval)", "reading")
    return OtherDivision(
        f"What came of {outcome.campaign}",
        (f"{outcome.headline()}.",),
        picture_of(draw.campaign_outcome(outcome)),
        table_of("Contacted against held out", head, rows),
    )


def _points(uplift: float, low: float, high: float) -> str:
    if pd.isna(uplift):
        return "–"
    return f"{100.0 * uplift:+.1f} points ({100.0 * low:+.1f} to {100.0 * high:+.1f})"
