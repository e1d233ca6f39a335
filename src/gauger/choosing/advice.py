"""The advice on the count: one number, how sure it is, why, and what else is worth a look."""

from collections.abc import Mapping
from dataclasses import dataclass

import pandas as pd

from gauger.choosing.elbow import Elbow, find_elbow
from gauger.errors import listed, plural

TOO_SMALL = 0.01
SEPARATED, WEAK = 0.50, 0.25
NEARLY_AS_GOOD = 0.02
SHARP = 0.4

Scores = Mapping[int, float]


@dataclass(frozen=True)
class CountAdvice:
    """Which count to take.

    `.verdict` is "clear" (the signs agree and segments are well apart), "leaning" (a best count, with soft borders or
    a rival) or "unclear" (the signs disagree or are weak). `.reasons` are sentences with their figures,
    `.alternatives` maps other counts worth a look to what speaks for each, and `.elbow` is the elbow that was found.
    """

    count: int
    verdict: str
    reasons: tuple[str, ...]
    alternatives: Mapping[int, str]
    elbow: Elbow | None = None

    def sentences(self) -> list[str]:
        """The reasons, then the alternatives, each as a sentence."""
        others = (f"Also look at {count}: {why}." for count, why in self.alternatives.items())
        return [*self.reasons, *others]

    def __str__(self) -> str:
        return " ".join([f"{self.count} {plural(self.count, 'segment')}, {self.verdict}.", *self.sentences()])


def advise_count(table: pd.DataFrame) -> CountAdvice:
    """Advise from a study's table (index count; columns wcss, silhouette, smallest_share).

    The highest mean silhouette decides among counts whose smallest segment holds more than 1 % of the customers; the
    elbow is heard beside it. Both are read again in words, and a disagreement is said.
    """
    elbow = find_elbow(list(table.index), list(table["wcss"]))
    apart: Scores = {int(count): float(value) for count, value in table["silhouette"].dropna().items()}  # type: ignore[call-overload]
    if not apart:
        only = int(table.index[-1])
        return CountAdvice(only, "unclear", ("One segment alone compares with nothing: try a range of counts.",), {})
    large_enough = set(table.index[table["smallest_share"] > TOO_SMALL])
    scores = {count: value for count, value in apart.items() if count in large_enough} or apart
    best = max(scores, key=lambda count: scores[count])
    reasons = [_about_silhouette(scores, best), _about_elbow(elbow, best)]
    reasons += _about_small_segments(apart, scores) + _about_edges(table, best)
    alternatives = _alternatives(scores, best, elbow)
    return CountAdvice(best, _verdict(scores, best, elbow), tuple(reasons), alternatives, elbow)


def _verdict(scores: Scores, best: int, elbow: Elbow | None) -> str:
    heard = elbow is not None and elbow.strength >= SHARP
    agrees = elbow is not None and elbow.count == best
    rivals = _rivals(scores, best)
    backed = elbow is not None and elbow.count in rivals
    if scores[best] < WEAK or (heard and not agrees and not backed):
        return "unclear"
    if scores[best] >= SEPARATED and not rivals and (agrees or not heard):
        return "clear"
    return "leaning"


def _rivals(scores: Scores, best: int) -> list[int]:
    return [count for count, value in scores.items() if count != best and value >= scores[best] - NEARLY_AS_GOOD]


def _about_silhouette(scores: Scores, best: int) -> str:
    value = scores[best]
    words = "well apart" if value >= SEPARATED else "apart with soft borders" if value >= WEAK else "hardly apart"
    others = [count for count in scores if count != best]
    if not others:
        return f"With {best} segments, the only count to consider, the silhouette is {value:.2f}: segments are {words}."
    second = max(others, key=lambda count: scores[count])
    text = (
        f"The silhouette is highest with {best} segments, {value:.2f} against {scores[second]:.2f} with {second}: "
        f"segments are {words}."
    )
    if value < WEAK:
        text += " The customers may form one cloud rather than groups; segments would cut it into parts."
    return text


def _about_elbow(elbow: Elbow | None, best: int) -> str:
    if elbow is None:
        return "An elbow cannot be read from fewer than three counts."
    if elbow.strength < SHARP:
        bend = f"The elbow is faint (at {elbow.count}, strength {elbow.strength:.2f})"
        return f"{bend}: the sum of squares falls smoothly and decides little."
    if elbow.count == best:
        return f"The elbow agrees: it is at {elbow.count}, strength {elbow.strength:.2f}."
    return (
        f"The elbow disagrees: it is at {elbow.count} (strength {elbow.strength:.2f}), because up to there the sum of "
        "squares falls most. Look at both before deciding."
    )


def _about_small_segments(apart: Scores, scores: Scores) -> list[str]:
    skipped = [count for count in apart if count not in scores]
    if not skipped:
        return []
    together = len(skipped) > 2 and skipped == [*range(skipped[0], skipped[-1] + 1)]
    words = f"{skipped[0]} to {skipped[-1]}" if together else listed(map(str, skipped), most=len(skipped))
    return [
        f"Not considered: {words} segments, where the smallest would hold at most {TOO_SMALL:.0%} of customers. "
        "If a few extreme customers cause that, cap the features (cap=, --cap 0,0.99) and study again."
    ]


def _about_edges(table: pd.DataFrame, best: int) -> list[str]:
    if best == int(table.index[-1]) and len(table) > 1:
        return [f"{best} is the highest count tried: more segments might do better, so try further."]
    if best == int(table.index[0]) and best > 2:
        return [f"{best} is the lowest count tried: fewer segments might do better, so try those too."]
    return []


def _alternatives(scores: Scores, best: int, elbow: Elbow | None) -> dict[int, str]:
    found = {count: f"a silhouette nearly as high ({scores[count]:.2f})" for count in _rivals(scores, best)}
    if elbow is not None and elbow.count != best and elbow.strength >= SHARP:
        also = f"{found[elbow.count]}, and " if elbow.count in found else ""
        found[elbow.count] = f"{also}the elbow (strength {elbow.strength:.2f})"
    neighbours = [count for count in (best - 1, best + 1) if count in scores]
    if neighbours and not found:
        better = max(neighbours, key=lambda count: scores[count])
        found[better] = f"the better neighbour ({scores[better]:.2f}), if {best} do not fit the campaign"
    return found
