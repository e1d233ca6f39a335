"""A segment told to people: what sets it apart, what is more frequent in it, and whom it is mixed up with."""

from dataclasses import dataclass

from gauger.profiling.level_tables import OTHER_LEVELS
from gauger.profiling.profile_tables import FEWEST_SHARED, ProfileTables
from gauger.segmentation import EVERYONE
from gauger.wording import percent

_TOLD_LEVELS = 2
"""Levels told of each segment."""

_STANDS_OUT = 0.1
"""The surplus of a level's share that is worth telling: judgement."""

_OVERLAPS = 0.05
"""The share of a segment that is nearly as close to another from which their overlap is told: judgement."""

_NEARLY_WHOLE = 0.95
"""A category known of at least this share of a segment is as good as known of all of it: judgement."""


@dataclass(frozen=True)
class OwnMeasure:
    """A measure in which a segment stands apart: its typical figure (median or mean, as `leads` says), everyone's."""

    name: str
    own: float
    everyone: float
    leads: str


def what_it_is_called(profile: ProfileTables, number: int) -> str:
    """The name a segment was given, else the one that the profile suggests."""
    name = profile.name_of(number)
    return profile.suggested_names.get(number, name) if name == f"segment {number}" else name


def numbered_name(profile: ProfileTables, number: int) -> str:
    """Number and name, so that what else speaks of "segment 3" is understood."""
    called = what_it_is_called(profile, number)
    return called if called == f"segment {number}" else f"{number} {called}"


def shares_in_words(profile: ProfileTables, number: int) -> list[str]:
    """The share of everyone that a segment has, and of each total: "30%", "41% of spend_total"."""
    size = profile.sizes.loc[[number]].iloc[0]
    totals = [name for name in profile.sizes.columns if name.startswith("share_of_")]
    return [
        percent(float(size["share"])),
        *(f"{percent(float(size[total]))} of {total.removeprefix('share_of_')}" for total in totals),
    ]


def own_measures(profile: ProfileTables, number: int, most: int) -> list[OwnMeasure]:
    """The measures in which a segment differs most, none that only repeats another."""
    if not len(profile.measures):
        return []
    told_already = profile.drivers.index[profile.drivers["repeats"] != ""]
    scores = profile.scores.loc[[number]].iloc[0].drop(told_already, errors="ignore").dropna()
    names = scores.abs().sort_values(ascending=False, kind="stable").index[:most]
    own, everyone = (profile.typical.loc[[row]].iloc[0] for row in (number, EVERYONE))
    leads = profile.measures["leads"]
    return [OwnMeasure(str(name), float(own[name]), float(everyone[name]), str(leads[name])) for name in names]


def own_levels(profile: ProfileTables, number: int) -> list[str]:
    """The levels that are known of a segment more often than of everyone, everyone's share in brackets."""
    if not len(profile.categories):
        return []
    surplus = (profile.categories[number] - profile.categories[EVERYONE]).sort_values(ascending=False, kind="stable")
    told = [
        (str(column), str(level))
        for column, level in surplus.index[surplus >= _STANDS_OUT]
        if level != OTHER_LEVELS and profile.known[number][column] >= FEWEST_SHARED
    ]
    once = dict(reversed(told))
    chosen = [(column, level) for column, level in told if once[column] == level][:_TOLD_LEVELS]
    return [
        f"{column} {level} {profile.share_in_words(column, level, number)}{_base(profile, column, number)} "
        f"({profile.share_in_words(column, level, EVERYONE)})"
        for column, level in chosen
    ]


def _base(profile: ProfileTables, column: str, number: int) -> str:
    """What a share is of, where that is not nearly the whole segment."""
    known, customers = int(profile.known[number][column]), int(profile.sizes.loc[[number], "customers"].iloc[0])
    return f" of {known:,} known" if known < _NEARLY_WHOLE * customers else ""


def own_rule(profile: ProfileTables, number: int) -> str:
    """A rule that finds the segment, and what it is worth; empty where there is none."""
    if number not in profile.rules.index:
        return ""
    rule = profile.rules.loc[[number]].iloc[0]
    return (
        f"{rule['rule']} ({percent(float(rule['share_of_segment']))} of the segment, "
        f"{percent(float(rule['share_of_matching']))} of those who match)"
    )


def mixed_up_with(profile: ProfileTables, number: int) -> str:
    """Whom a segment overlaps with, and whether it comes back; empty where it stands by itself or nothing is known."""
    if not profile.overlap.shape[1] or number not in profile.overlap.index:
        return ""
    row = profile.overlap.loc[[number]].iloc[0]
    near, parts = float(row["near_share"] if row.notna()["near_share"] else 0.0), []
    if near >= _OVERLAPS:
        parts.append(f"{percent(near)} are nearly as close to {profile.name_of(int(row['nearest']))}")
    tried = int(row["resamples"])
    if tried and row.notna()["dissolved"] and int(row["dissolved"]):
        parts.append(f"dissolved in {int(row['dissolved'])} of {tried} resamples")
    return "; ".join(parts)
