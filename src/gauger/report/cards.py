"""A card for each segment: who it is, what sets it apart, how it is found, and who stands for it."""

from dataclasses import dataclass

import numpy as np

from gauger.profiling import (
    EVERYONE,
    Profile,
    mixed_up_with,
    numbered_name,
    own_levels,
    own_measures,
    own_rule,
    shares_in_words,
)
from gauger.report.contents import Contents
from gauger.wording import listed, percent, plain_number

MOST_CARDS = 40
"""Segments of a page; judgement."""

_TOLD, _DESCRIBED = 4, 5
"""Measures that set a segment apart, and those that its exemplar is described by."""

_HARDLY = 1.1
"""Up to so many times everyone's figure it is about the same: judgement."""

_SAME = "the same median"


@dataclass(frozen=True)
class Measure:
    """A measure of a card: its name, the segment's median, everyone's, and how they compare in words."""

    name: str
    own: str
    everyone: str
    words: str


@dataclass(frozen=True)
class Card:
    """What a card says of a segment."""

    number: int
    name: str
    customers: str
    shares: tuple[str, ...]
    share: float
    measures: tuple[Measure, ...]
    levels: str
    rule: str
    mixed: str
    exemplar: str


def cards_of(contents: Contents) -> list[Card]:
    """The cards of the segments that are shown, in the order of their numbers."""
    return [_card(contents, number) for number in shown_segments(contents.profile)]


def shown_segments(profile: Profile) -> list[int]:
    """The segments that have a card, and a column in the tables: of very many the largest."""
    sizes = profile.sizes["customers"].to_dict()
    kept = set(sorted(profile.numbers, key=lambda number: (-sizes[number], number))[:MOST_CARDS])
    return [number for number in profile.numbers if number in kept]


def _card(contents: Contents, number: int) -> Card:
    profile = contents.profile
    size = profile.sizes.loc[[number]].iloc[0]
    first, *others = shares_in_words(profile, number)
    return Card(
        number=number,
        name=numbered_name(profile, number),
        customers=contents.noun.counted(int(size["customers"])),
        shares=(f"{first} of all", *(other.replace("_", " ") for other in others)),
        share=float(size["share"]),
        measures=tuple(_measures(contents, number)),
        levels=listed(own_levels(profile, number), most=9) if own_levels(profile, number) else "",
        rule=own_rule(profile, number),
        mixed=mixed_up_with(profile, number) or ("hardly with any other" if profile.overlap.shape[1] else ""),
        exemplar=_exemplar(contents, number),
    )


def _measures(contents: Contents, number: int) -> list[Measure]:
    profile = contents.profile
    names = [one.name for one in own_measures(profile, number, _TOLD)]
    own, everyone = (profile.medians.loc[[row]].iloc[0].to_dict() for row in (number, EVERYONE))
    told = [
        Measure(name, plain_number(own[name]), plain_number(everyone[name]), _against(own[name], everyone[name]))
        for name in names
        if not np.isnan(own[name])
    ]
    apart = [one for one in told if not one.words.endswith(_SAME)]
    return apart or told[:1]


def _against(own: float, everyone: float) -> str:
    """One median against another, in words."""
    if own == everyone:
        return _SAME
    if own > 0.0 and everyone > 0.0:
        times = own / everyone if own > everyone else everyone / own
        if times < _HARDLY:
            return f"about {_SAME}"
        side = "more" if own > everyone else "less"
        if times < 2.0:
            return f"{abs(own / everyone - 1.0):.0%} {side}"
        often = f"{times:.1f}" if times < 10.0 else f"{times:,.0f}"
        return f"{often} times as much" if own > everyone else f"{percent(own / everyone)} of it"
    return "more" if own > everyone else "less"


def _exemplar(contents: Contents, number: int) -> str:
    """The most typical one in words, without the key unless keys are to be shown."""
    table = contents.profile.exemplars
    if not len(table):
        return ""
    row = table[table["segment"] == number].iloc[0]
    names = [one.name for one in own_measures(contents.profile, number, _DESCRIBED) if one.name in table.columns]
    names += [name for name in contents.features.original.columns if name not in names][: _DESCRIBED - len(names)]
    told = [f"{name} {plain_number(float(row[name]))}" for name in names if row.notna()[name]]
    who = f"{contents.features.key} {row[contents.features.key]}: " if contents.with_keys else ""
    return who + ", ".join(told)
