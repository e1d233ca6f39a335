"""The advice on the radius: one number, how sure it is, why, and what else is worth a look."""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms.diagnostics import Knee
from gauger.clustering import NEARLY_ALL
from gauger.readable import Advice
from gauger.wording import first_up, plural, short_number

STEADY = 0.9
"""The least adjusted Rand index of two radii next to each other whose answers count as the same."""

_LONG = 3
"""Radii over which the same segments must hold for a clear advice: judgement."""

_MOST_ALTERNATIVES = 3
"""More would be no advice."""


@dataclass(frozen=True)
class Plateau:
    """Radii next to each other that give the same answer: the places of the first and last, how many segments of a
    fair size, the least agreement from one to the next, the mean validity and share of unassigned, and the place of the
    most valid radius well inside."""

    first: int
    last: int
    segments: int
    agreement: float
    validity: float
    unassigned: float
    best: int

    @property
    def radii(self) -> int:
        """How many radii it has."""
        return self.last - self.first + 1

    @property
    def score(self) -> float:
        """How many radii agree, weighed by how valid their segments are (0 to 2) and how many customers are in them."""
        return self.radii * (1.0 + self.validity) * (1.0 - self.unassigned)


@dataclass(frozen=True)
class RadiusAdvice(Advice):
    """Which radius and min points to take, and how sure that is.

    Attributes
    ----------
    radius : float
        The radius advised, on the working scale.
    min_points : int
        The min points that it is advised for.
    verdict : {"clear", "leaning", "unclear", "no structure"}
        The same segments over three radii or more, and all radii taken together show them too; they hold for less, or
        all radii together show other groups; groups, but no radius that holds them apart for long; or density finds
        nothing (the radius then keeps nearly everyone in one segment and leaves out the odd ones).
    reasons : tuple of str
        Sentences with their figures, the weightiest first.
    alternatives : mapping
        Other radii worth a look, and why.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> visits = [*range(1, 21), *range(101, 121), 200]
    >>> features = gauger.prepare(pd.DataFrame({"who": range(41), "visits": visits}), key="who", scale="none")
    >>> gauger.study_radius(features).advice.verdict
    'clear'
    """

    radius: float
    min_points: int
    verdict: str
    reasons: tuple[str, ...]
    alternatives: Mapping[float, str]

    def sentences(self) -> list[str]:
        """The reasons, then the alternatives, each as a sentence."""
        others = (f"Also look at {short_number(radius)}: {why}." for radius, why in self.alternatives.items())
        return [*self.reasons, *others]

    def headline(self) -> str:
        return f"Radius {short_number(self.radius)}, {self.verdict}."


def plateaus_of(table: pd.DataFrame) -> list[Plateau]:
    """Runs of two radii or more with as many segments of a fair size, two at least, that agree from one to the next."""
    fair = table["fair_segments"].to_numpy()
    agreement, validity = table["agreement"].to_numpy(), table["validity"].fillna(0.0).to_numpy()
    unassigned = table["unassigned_share"].to_numpy()
    found, first = [], 0
    for index in range(1, len(fair) + 1):
        if index < len(fair) and fair[index] == fair[first] and agreement[index - 1] >= STEADY:
            continue
        if index - first > 1 and fair[first] > 1:
            least = float(agreement[first : index - 1].min())
            means = validity[first:index].mean(), unassigned[first:index].mean()
            best = _well_inside(validity, first, index - 1)
            found.append(Plateau(first, index - 1, int(fair[first]), least, float(means[0]), float(means[1]), best))
        first = index
    return found


def _well_inside(validity: NDArray[np.float64], first: int, last: int) -> int:
    """The most valid place (to 0.01) of a plateau's inner half, of those as valid the one nearest to its middle."""
    margin = (last - first + 1) // 4
    inner = range(first + margin, last - margin + 1)
    return min(inner, key=lambda index: (-round(float(validity[index]), 2), abs(index - (first + last) / 2.0)))


def advise_radius(table: pd.DataFrame, knee: Knee | None, groups: int, min_points: int) -> RadiusAdvice:
    """Advise from a study's table (index radius), the knee, and how many `groups` all radii at once show (1: none)."""
    radii = table.index.to_numpy(dtype=float)
    if groups < 2:
        return _nothing(table, knee, min_points)
    plateaus = sorted(plateaus_of(table), key=lambda plateau: (plateau.segments != groups, -plateau.score))
    apart = np.flatnonzero(table["fair_segments"].to_numpy() > 1)
    if plateaus:
        best = plateaus[0]
        index = best.best
        sure = best.radii >= _LONG and best.segments == groups
        verdict = "clear" if sure else "leaning"
        reasons = [_about_plateau(table, best, index)]
    else:
        validity = table["validity"].fillna(-1.0).to_numpy()
        index = int(apart[validity[apart].argmax()]) if apart.size else int(validity.argmax())
        verdict = "unclear"
        reasons = [
            "No two radii next to each other give the same segments: the answer depends on the radius. "
            f"{first_up(_at(table, index))}{_how_valid(table, index, apart)}."
        ]
    reasons += [_about_groups(groups, int(table["fair_segments"].iloc[index])), _about_knee(knee)]
    own = range(plateaus[0].first, plateaus[0].last + 1) if plateaus else range(index, index + 1)
    others = dict(_others(table, plateaus[1:], knee, own))
    return RadiusAdvice(float(radii[index]), min_points, verdict, tuple(reasons), others)


def weighed_with_groups(advice: RadiusAdvice, groups: int, others: int, told_apart: str | None) -> RadiusAdvice:
    """The advice with what the evidence of `study_counts` says beside density's `groups`: as many as `others`.

    `told_apart` is in words what a filter tells apart, where the groups only repeat that.
    """
    if told_apart is not None:
        text = f"These groups only repeat {told_apart}: a filter does that, and study_counts sees no others."
        verdict = "unclear" if groups > 1 else "no structure"
        return replace(advice, verdict=verdict, reasons=(text, *advice.reasons))
    if groups == others:
        text = f"the same {others} groups." if groups > 1 else "no groups either."
        return replace(advice, reasons=(*advice.reasons, f"study_counts sees {text}"))
    if groups < 2:
        text = (
            f"study_counts does see {others} groups: they touch, and density joins what touches. k-means can hold them "
            "apart (gauger counts)."
        )
    elif others < 2:
        text = (
            "study_counts sees no groups: it looks for round ones, and these differ in shape or in density, or are "
            "spots inside one cloud."
        )
    else:
        text = f"study_counts, which looks for round groups, sees {others}: it joins or cuts what has another shape."
    return replace(advice, reasons=(*advice.reasons[:2], text, *advice.reasons[2:]))


def _nothing(table: pd.DataFrame, knee: Knee | None, min_points: int) -> RadiusAdvice:
    together = np.flatnonzero(table["largest_share"].to_numpy() > NEARLY_ALL)
    fewest = table["segments"].to_numpy()[together]
    index = int(together[fewest.argmin()]) if together.size else len(table) - 1
    row = table.iloc[index]
    by_ties = ""
    if (table["fair_segments"] > 1).any():
        by_ties = (
            " Where a radius of the table shows several segments of a fair size, values that many customers share make "
            "them: spread over the gaps around them, the customers are one."
        )
    reasons = (
        "Density finds nothing here: as the radius shrinks the customers never come apart into two parts that are "
        f"denser than chance would make them.{by_ties}",
        f"{short_number(float(table.index[index]))} keeps {row['largest_share']:.0%} together and leaves "
        f"{row['unassigned_share']:.1%} out: of use for naming the odd ones, not for segments. k-means can still cut "
        "the cloud into parts.",
        *([_about_knee(knee)] if knee is not None and knee.clear else []),
    )
    return RadiusAdvice(float(table.index[index]), min_points, "no structure", reasons, {})


def _about_plateau(table: pd.DataFrame, plateau: Plateau, index: int) -> str:
    low, high = (short_number(float(table.index[at])) for at in (plateau.first, plateau.last))
    least = math.floor(100.0 * plateau.agreement) / 100.0
    return (
        f"From {low} to {high} the answer hardly changes: {plateau.segments} segments of a fair size, agreeing by at "
        f"least {least:.2f} (adjusted Rand) from radius to radius. {first_up(_at(table, index))}."
    )


def _at(table: pd.DataFrame, index: int) -> str:
    row = table.iloc[index]
    segments = int(row["segments"])
    valid = f", density-based validity is {row['validity']:.2f}" if row["validity"] == row["validity"] else ""
    return (
        f"with a radius of {short_number(float(table.index[index]))}, {row['unassigned_share']:.1%} are unassigned, "
        "the largest of "
        f"{segments} {plural(segments, 'segment')} holds {row['largest_share']:.0%}{valid}"
    )


def _how_valid(table: pd.DataFrame, index: int, apart: NDArray[np.intp]) -> str:
    """What is best about a radius among those `apart`, which give two segments of a fair size or more."""
    validity = table["validity"].to_numpy()
    if np.isnan(validity[index]):
        return ""
    if validity[index] >= np.nanmax(validity):
        return ", the most valid of the table"
    return f", the most valid of the {len(apart)} radii with two segments of a fair size or more"


def _about_groups(groups: int, segments: int) -> str:
    if groups == segments:
        return f"All radii taken together show the same {groups} groups (density levels)."
    return (
        f"All radii taken together show {groups} groups, not {segments}: groups of differing density, which one radius "
        "cannot hold apart. See segment_by_density_levels (--method density-levels)."
    )


def _about_knee(knee: Knee | None) -> str:
    if knee is None:
        return "The neighbour distances have no knee to go by."
    where = f"{short_number(knee.height)}, strength {knee.strength:.2f} of 1"
    if knee.clear:
        return f"The neighbour distances turn up at {where}: {knee.share:.0%} of the customers find enough within that."
    return f"The neighbour distances have no clear knee (at {where}): go by where the answer stays the same, not by it."


def _others(
    table: pd.DataFrame, plateaus: Sequence[Plateau], knee: Knee | None, own: range
) -> Iterator[tuple[float, str]]:
    """Other plateaus, the most valid radius, and a clear knee, as far as they are not among the `own` places."""
    offers = [
        (plateau.best, f"{plateau.segments} segments of a fair size, over {plateau.radii} radii")
        for plateau in plateaus
    ]
    validity = table["validity"].fillna(-np.inf).to_numpy()
    best = int(validity.argmax())
    if np.isfinite(validity[best]):
        offers.append((best, f"the most valid segments ({validity[best]:.2f})"))
    if knee is not None and knee.clear:
        at = int(np.abs(np.log(table.index.to_numpy(dtype=float) / knee.height)).argmin())
        count = int(table["fair_segments"].iloc[at])
        offers.append((at, f"the knee, with {count} {plural(count, 'segment')} of a fair size"))
    seen = set(own)
    for index, why in offers:
        if index not in seen and len(seen) < len(own) + _MOST_ALTERNATIVES:
            seen.add(index)
            yield float(table.index[index]), why
