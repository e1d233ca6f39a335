"""A segment told in words, from its profile."""

from gauger.errors import SettingError
from gauger.profiling.profile_tables import FEWEST_SHARED, ProfileTables
from gauger.profiling.short_rules import rule_sentence
from gauger.segmentation import EVERYONE
from gauger.wording import listed, plain_number

_TOLD, _MUCH_MORE = 3, 0.15
"""Measures and levels told, and the surplus of a share that is worth telling: judgement."""


def narrative(profile: ProfileTables, number: int) -> str:
    """As `Profile.in_words` says."""
    if number not in profile.numbers:
        raise SettingError(f"there is no segment {number!r}: they run from 1 to {len(profile.numbers)}.")
    size = profile.sizes.loc[[number]].iloc[0]
    customers = int(size["customers"])
    totals = [
        f"{size[name]:.0%} of {name.removeprefix('share_of_').replace('_', ' ')}"
        for name in profile.sizes.columns
        if name.startswith("share_of_")
    ]
    shares = listed([f"{size['share']:.0%} of all", *totals], most=9)
    parts = [f"{size['name']}: {profile.noun.counted(customers)}, {shares}."]
    if len(profile.measures):
        parts.append(f"Typically {_strongest(profile, number)}.")
    parts += _levels(profile, number)
    if number in profile.rules.index:
        parts.append(f"In a rule: {rule_sentence(str(size['name']), profile.rules.loc[[number]].iloc[0])}.")
    return " ".join(parts)


def _strongest(profile: ProfileTables, number: int) -> str:
    """The measures in which a segment differs most, of those it was built on where they are known."""
    built_on = profile.measures.index[profile.measures["used"].fillna(False).astype(bool)]
    scores = profile.scores.loc[[number], built_on if len(built_on) else profile.measures.index].iloc[0]
    names = scores.abs().sort_values(ascending=False, kind="stable").index[:_TOLD]
    own, everyone = (profile.typical.loc[[row]].iloc[0] for row in (number, EVERYONE))
    return ", ".join(f"{name} {plain_number(own[name])} (everyone {plain_number(everyone[name])})" for name in names)


def _levels(profile: ProfileTables, number: int) -> list[str]:
    """The levels that are most over-represented in a segment, if any is by much."""
    shares = profile.categories
    surplus = (shares[number] - shares[EVERYONE]).sort_values(ascending=False, kind="stable")
    known = profile.known[number]
    enough = [
        (column, level) for column, level in surplus.index[surplus >= _MUCH_MORE] if known[column] >= FEWEST_SHARED
    ]
    parts = [
        f"{column} {level} {shares.loc[(column, level), number]:.0%} "
        f"(everyone {shares.loc[(column, level), EVERYONE]:.0%})"
        for column, level in enough[:_TOLD]
    ]
    return [f"More often {', '.join(parts)}."] if parts else []
