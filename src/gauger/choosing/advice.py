"""The advice on the count: one number, how sure it is, why, and what else is worth a look."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Self

import pandas as pd

from gauger.algorithms.diagnostics import DEEP, Elbow, Gap, find_elbow
from gauger.choosing.changes import change_in_words
from gauger.choosing.evidence import Evidence
from gauger.choosing.filters import NO_FILTERS, Filters
from gauger.choosing.picks import SHARP, Picks, criteria_picks, names_in_words, picks_in_words, scores_of
from gauger.choosing.signs import LEAST_SHARE
from gauger.choosing.weighing import LIKELY, SURE
from gauger.readable import Advice
from gauger.segmentation import Segmentation
from gauger.wording import Noun, first_up, listed, plural

VERDICTS = ("clear", "leaning", "unclear", "no structure")

_RIVAL = 0.03
"""A silhouette this much higher elsewhere is a rival: judgement."""

_UNEQUAL = 0.25
"""A smallest segment below this part of an even share makes criteria that favour even sizes err: judgement."""

MOST_ALTERNATIVES = 3
"""More would be no advice."""

_HARDLY_APART = 0.10
"""Below this mean silhouette customers are hardly nearer to their own segment than to the next: judgement."""

_TRIVIAL = 0.9
"""From this share of a feature's variance between segments it tells them alone: judgement."""

_REPEATS = 0.8
"""From this share a feature is said to be what segments repeat: judgement."""


@dataclass(frozen=True)
class CountAdvice(Advice):
    """Which count to take, and how sure that is.

    Attributes
    ----------
    count : int
        The count advised.
    verdict : {"clear", "leaning", "unclear", "no structure"}
        Customers thin out between each two segments; a best count with soft borders or a rival; the signs are weak or
        disagree; or no more clustered than one cloud of the same shape (the count is then 1, where that was tried).
    reasons : tuple of str
        Sentences with their figures, the weightiest first.
    alternatives : mapping
        Other counts worth a look, and what each would change.
    picks : mapping
        Which count each criterion alone would take; None where it does not say.
    elbow : Elbow, optional
        The elbow that was found.
    leave_out : tuple of str
        Features and categories without which the groups show: segment without them.
    filters : mapping
        Features whose values a filter tells apart, so that no segments are needed, and in words what it tells apart.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(15), "visits": [*range(5), *range(40, 45), *range(90, 95)]})
    >>> advice = gauger.study_counts(gauger.prepare(table, key="who"), counts=range(1, 5)).advice
    >>> advice.count, advice.picks["silhouette"]
    (3, 3)
    """

    count: int
    verdict: str
    reasons: tuple[str, ...]
    alternatives: Mapping[int, str]
    picks: Mapping[str, int | None]
    elbow: Elbow | None = None
    leave_out: tuple[str, ...] = ()
    filters: Mapping[str, str] = field(default_factory=dict)

    def sentences(self) -> list[str]:
        """The reasons, then the alternatives, each as a sentence."""
        others = (f"Also look at {count}: {why}." for count, why in self.alternatives.items())
        return [*self.reasons, *others]

    def overview(self) -> pd.DataFrame:
        """The count that each criterion alone would take."""
        taken = {name: "–" if pick is None else str(pick) for name, pick in self.picks.items()}
        return pd.DataFrame({"alone would take": taken}).rename_axis(index="criterion")

    def said_of(self, noun: Noun, names: Iterable[str] = ()) -> Self:
        own = super().said_of(noun, names)
        others = {count: noun.said(why, names) for count, why in self.alternatives.items()}
        return replace(own, alternatives=others)

    def headline(self) -> str:
        return f"{self.count} {plural(self.count, 'segment')}, {self.verdict}."


def advise_count(
    table: pd.DataFrame,
    evidence: Evidence,
    gap: Gap,
    *,
    names: Sequence[str] = (),
    filters: Filters = NO_FILTERS,
    segmentations: Mapping[int, Segmentation] | None = None,
) -> CountAdvice:
    """Advise from a study's table (index count) and the evidence on groups, whose columns are of the features `names`.

    The evidence decides; each criterion is heard beside it, and where one disagrees, it is said and why. What is said
    of the segments is measured on the `segmentations` by count. `filters` say by feature which split it gives alone.
    """
    tried = table.index.tolist()
    elbow = find_elbow(tried, table["wcss"].tolist())
    picks = criteria_picks(table, gap, elbow)
    apart = scores_of(table, "silhouette")
    if not apart:
        reason = "One segment alone compares with nothing: try a range of counts."
        return CountAdvice(tried[-1], "unclear", (reason,), {}, picks, elbow)
    if evidence.count == 1:
        count = 1 if 1 in tried else max(apart, key=lambda count: apart[count])
        reasons = (
            *_about_one_cloud(evidence, apart, filters),
            *_about_picks_in_a_cloud(picks),
            *_about_limit(evidence),
        )
        return CountAdvice(
            count, "no structure", reasons, _cuts_of_a_cloud(apart, count), picks, elbow, filters=filters.in_words()
        )
    count = min(tried, key=lambda count: (abs(count - evidence.count), count))
    shares = scores_of(table, "smallest_share")
    made = (segmentations or {}).get(count)
    depth = evidence.valleys.get(count, 0.0) if made is None else evidence.depth_of(made.codes)
    signs = _Signs(count, apart.get(count), evidence.excess_of(count), depth)
    leave_out = tuple(dict.fromkeys(names[place] for place in evidence.idle)) if names else ()
    reasons = (
        _about_groups(evidence, signs),
        *_about_features(
            evidence, signs, leave_out, filters, None if made is None else only_telling(made.explained_by_feature)
        ),
        _about_criteria(picks, elbow, count, unequal=shares[count] * count < _UNEQUAL),
        *_about_limit(evidence),
        *_about_few_customers(evidence, count, shares[count]),
        *_about_edges(tried, count),
    )
    others = _alternatives(evidence, picks, apart, count)
    if made is not None and segmentations is not None:
        others = {
            other: f"{why}; {change_in_words(made.codes, segmentations[other].codes)}" for other, why in others.items()
        }
    return CountAdvice(count, _verdict(evidence, signs), reasons, others, picks, elbow, leave_out, filters.in_words())


@dataclass(frozen=True)
class _Signs:
    """What speaks for the advised count by all features: silhouette, its excess, and the shallowest valley."""

    count: int
    apart: float | None
    excess: float
    depth: float

    def firm(self, evidence: Evidence) -> bool:
        """Whether the segments are the groups, and have a valley between each two."""
        return evidence.between_valleys == evidence.count == self.count and self.depth >= DEEP

    def keep(self, evidence: Evidence) -> bool:
        """Whether the segments keep to the groups, as far as these have a valley between each two."""
        return evidence.between_valleys != evidence.count or evidence.count != self.count or self.depth >= DEEP


def _verdict(evidence: Evidence, signs: _Signs) -> str:
    """Every doubt takes a step: soft borders, hardly more than a cloud, a rival, segments hardly apart."""
    highest, own = evidence.silhouettes[evidence.best_silhouette], evidence.silhouettes.get(evidence.count, 0.0)
    doubts = [
        highest - own > _RIVAL or evidence.rival is not None,
        not signs.firm(evidence),
        evidence.excess.get(signs.count, 0.0) <= SURE,
        signs.apart is not None and signs.apart < _HARDLY_APART,
    ]
    return VERDICTS[min(sum(doubts), 2)]


def _about_groups(evidence: Evidence, signs: _Signs) -> str:
    text = f"With {signs.count} {plural(signs.count, 'segment')} the silhouette "
    if signs.apart is not None:
        text += f"is {signs.apart:.2f}, "
    if signs.excess > LIKELY:
        text += f"{signs.excess:.0f} standard deviations above that of one cloud of the same shape"
        link = ", and "
    else:
        text += f"{'hardly above' if signs.excess >= 1.0 else 'no higher than'} that of one cloud of the same shape"
        link = ", but "
    if evidence.count != signs.count:
        return f"{text}; the customers fall into {evidence.count} groups, a count that was not tried."
    if signs.firm(evidence):
        return f"{text}{link}customers thin out between each two segments."
    if evidence.between_valleys == evidence.count:
        return (
            f"{text}. The customers do fall into {signs.count} groups, but these segments cut some of them and join "
            "parts of others."
        )
    if evidence.between_valleys > 1:
        return f"{text}. Borders are soft: only {evidence.between_valleys} groups have a valley between each two."
    return f"{text}. Borders are soft: customers hardly thin out between segments."


def _about_criteria(picks: Picks, elbow: Elbow | None, count: int, *, unequal: bool) -> str:
    agree = {name: pick for name, pick in picks.items() if pick == count}
    none = {name: pick for name, pick in picks.items() if pick == 1 < count}
    fewer = {name: pick for name, pick in picks.items() if pick is not None and 1 < pick < count}
    more = {name: pick for name, pick in picks.items() if pick is not None and pick > count}
    parts: list[str] = []
    if agree:
        parts.append(f"{names_in_words(agree)} {plural(len(agree), 'agrees', 'agree')}")
    if none:
        verb, rule = ("stays", "its rule") if len(none) == 1 else ("stay", "their rules")
        parts.append(f"{names_in_words(none)} {verb} with 1 by {rule}")
    if fewer:
        kind = "segments of such unequal size" if unequal else "segments that lie closer together than others"
        parts.append(f"{picks_in_words(fewer)}, taking {kind} together")
    if more:
        parts.append(f"{picks_in_words(more)}, cutting wide segments into parts")
    if elbow is not None and elbow.strength < SHARP:
        parts.append(f"the elbow is faint (at {elbow.count}, strength {elbow.strength:.2f}) and says little")
    return _sentence("; ".join(parts)) if parts else "No other criterion says anything."


def _about_one_cloud(evidence: Evidence, apart: Mapping[int, float], filters: Filters) -> Iterator[str]:
    if not evidence.silhouettes:
        yield "Too few customers differ to say anything about groups."
        return
    highest = max(apart.values())
    if highest >= _REPEATS:
        yield (
            f"The features take so few values that segments would only repeat them (silhouette {highest:.2f}): a "
            "filter on the values says as much."
        )
        return
    said = filters.sentences()
    if said:
        yield from said
        yield "Beside that the customers are one cloud: nowhere else do they thin out between segments."
        return
    yield (
        f"The customers are no more clustered than one cloud of the same shape would be: the highest silhouette is "
        f"{highest:.2f}, and nowhere do customers thin out between segments."
    )
    yield "Segments would cut the cloud into parts: useful for a campaign, perhaps, but the borders are yours to draw."


def _about_limit(evidence: Evidence) -> Iterator[str]:
    if evidence.signs is not None:
        share = evidence.signs.least / evidence.signs.smooth.size
        yield f"A group of fewer than {share:.1%} of the customers would not be seen."


def _about_picks_in_a_cloud(picks: Picks) -> Iterator[str]:
    others = {name: pick for name, pick in picks.items() if pick not in (None, 1)}
    if others:
        yield _sentence(f"{picks_in_words(others)}; but these find a best count in any cloud")


def _about_features(
    evidence: Evidence, signs: _Signs, leave_out: Sequence[str], filters: Filters, telling: str | None
) -> Iterator[str]:
    if telling is not None:
        yield f"The segments differ in {telling} alone: a filter on it would give the same."
    if leave_out:
        pronoun = plural(len(leave_out), "it", "them")
        blur = f"; with {pronoun} the segments do not keep to them" if signs.depth < DEEP else ""
        apart = evidence.silhouettes.get(signs.count)
        height = f" (silhouette about {apart:.2f})" if apart is not None else ""
        yield (
            f"The groups show once {listed(leave_out, most=6)} {plural(len(leave_out), 'is', 'are')} left out{height}, "
            f"which {plural(len(leave_out), 'plays', 'play')} no part in them{blur}: segment without {pronoun}."
        )
    elif not signs.keep(evidence):
        yield "A tree or density may keep the groups whole (gauger tree, gauger radius): compare them."
    yield from filters.sentences()


def _about_few_customers(evidence: Evidence, count: int, smallest: float) -> Iterator[str]:
    if evidence.aside:
        yield (
            f"{evidence.aside:,} isolated {plural(evidence.aside, 'customer was', 'customers were')} set aside to see "
            f"this ({max(evidence.aside / evidence.looked_at, 0.001):.1%} of those looked at)."
        )
    if smallest <= LEAST_SHARE:
        yield (
            f"With {count} segments the smallest holds {smallest:.1%} of the customers: see whether it is worth a "
            "campaign, or cap the features it is extreme in (cap=, --cap)."
        )


def _about_edges(tried: Sequence[int], count: int) -> Iterator[str]:
    if count == tried[-1] and len(tried) > 1:
        yield f"{count} is the highest count tried: more segments might do better, so try further."
    elif count == tried[0] and count > 2:
        yield f"{count} is the lowest count tried: fewer segments might do better, so try those too."


def _cuts_of_a_cloud(apart: Mapping[int, float], count: int) -> dict[int, str]:
    best = max(apart, key=lambda other: apart[other])
    return {} if best == count else {best: f"the best cut through the cloud by the silhouette ({apart[best]:.2f})"}


def _alternatives(evidence: Evidence, picks: Picks, apart: Mapping[int, float], count: int) -> dict[int, str]:
    """Other counts by how much speaks for them: the highest silhouette, groups between valleys, the elbow, rivals."""
    own = apart.get(count, 0.0)
    best = max(apart, key=lambda other: apart[other])
    offers = [(best, f"the highest silhouette ({apart[best]:.2f})")]
    if evidence.between_valleys > 1:
        offers.append((evidence.between_valleys, "only groups with a valley between each two"))
    if evidence.rival is not None:
        offers.append((evidence.rival, "nearly as much speaks for it"))
    if picks["elbow"] is not None:
        offers.append((picks["elbow"], "the elbow"))
    for other in sorted(apart, key=lambda other: -apart[other]):
        if apart[other] >= own - _RIVAL and evidence.excess.get(other, 0.0) > LIKELY:
            offers.append((other, f"a silhouette nearly as high ({apart[other]:.2f})"))
    found: dict[int, str] = {}
    for other, why in offers:
        if other != count and other in apart and len(found) < MOST_ALTERNATIVES:
            found.setdefault(other, why)
    return found or _better_neighbour(apart, count)


def _better_neighbour(apart: Mapping[int, float], count: int) -> dict[int, str]:
    near = [other for other in (count - 1, count + 1) if other in apart]
    if not near:
        return {}
    better = max(near, key=lambda other: apart[other])
    return {better: f"the better neighbour (silhouette {apart[better]:.2f}), if {count} do not fit the campaign"}


def only_telling(shares: pd.Series) -> str | None:
    """The feature that tells segments apart alone, from each feature's between-segment share of variance; or None."""
    if len(shares) < 2:
        return None
    highest, next_one = shares.sort_values(ascending=False, kind="stable").to_numpy()[:2]
    return str(shares.idxmax()) if highest >= _TRIVIAL and next_one < 1.0 - _TRIVIAL else None


def _sentence(text: str) -> str:
    return f"{first_up(text)}."
