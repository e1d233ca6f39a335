"""The advice on the count: one number, how sure it is, why, and what else is worth a look."""

from collections.abc import Mapping
from dataclasses import dataclass

import pandas as pd

from gauger.choosing.elbow import Elbow, find_elbow

TOO_SMALL = 0.01
SEPARATED, WEAK = 0.50, 0.25
NEARLY_AS_GOOD = 0.02
SHARP = 0.4


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


def advise_count(table: pd.DataFrame) -> CountAdvice:
    """Advise from a study's table (index count; columns wcss, silhouette, smallest_share).

    The highest mean silhouette decides among counts whose smallest segment holds more than 1 % of the customers; the
    elbow is heard beside it. Both are read again in words, and a disagreement is said.
    """
    elbow = find_elbow(list(table.index), list(table["wcss"]))
    apart = table["silhouette"].dropna()
    if apart.empty:
        only = int(table.index[-1])
        return CountAdvice(only, "unclear", ("One segment alone compares with nothing: try a range of counts.",), {})
    usable = apart[table.loc[apart.index, "smallest_share"] > TOO_SMALL]
    scores = usable if not usable.empty else apart
    best = int(scores.idxmax())
    reasons = [_about_silhouette(scores, best), _about_elbow(elbow, best)]
    reasons += _about_small_segments(apart, scores) + _about_edges(table, best)
    alternatives = _alternatives(scores, best, elbow)
    return CountAdvice(best, _verdict(scores, best, elbow, alternatives), tuple(reasons), alternatives, elbow)


def _verdict(scores: pd.Series, best: int, elbow: Elbow | None, alternatives: Mapping[int, str]) -> str:
    agree = elbow is not None and elbow.count == best
    rival = any(scores.get(count, -1.0) >= scores[best] - NEARLY_AS_GOOD for count in alternatives)
    if scores[best] < WEAK or (not agree and elbow is not None and elbow.strength >= SHARP and not rival):
        return "unclear"
    if scores[best] >= SEPARATED and not rival and (agree or elbow is None or elbow.strength < SHARP):
        return "clear"
    return "leaning"


def _about_silhouette(scores: pd.Series, best: int) -> str:
    value = float(scores[best])
    words = "well apart" if value >= SEPARATED else "apart with soft borders" if value >= WEAK else "hardly apart"
    others = scores.drop(best)
    if others.empty:
        return f"With {best} segments the silhouette is {value:.2f}: segments are {words}. No other count was tried."
    second = int(others.idxmax())
    text = (
        f"The silhouette is highest with {best} segments, {value:.2f} against {others[second]:.2f} with {second}: "
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


def _about_small_segments(apart: pd.Series, scores: pd.Series) -> list[str]:
    skipped = [int(count) for count in apart.index if count not in scores.index]
    if not skipped:
        return []
    words = ", ".join(map(str, skipped))
    return [f"Not considered: {words} segments, where the smallest would hold at most {TOO_SMALL:.0%} of customers."]


def _about_edges(table: pd.DataFrame, best: int) -> list[str]:
    if best == int(table.index[-1]) and len(table) > 1:
        return [f"{best} is the highest count tried: more segments might do better, so try further."]
    if best == int(table.index[0]) and best > 2:
        return [f"{best} is the lowest count tried: fewer segments might do better, so try those too."]
    return []


def _alternatives(scores: pd.Series, best: int, elbow: Elbow | None) -> dict[int, str]:
    found = {
        int(count): f"a silhouette nearly as high ({value:.2f})"
        for count, value in scores.drop(best).items()
        if value >= scores[best] - NEARLY_AS_GOOD
    }
    if elbow is not None and elbow.count != best:
        also = f"{found[elbow.count]}, and " if elbow.count in found else ""
        found[elbow.count] = f"{also}the elbow (strength {elbow.strength:.2f})"
    if not found:
        neighbours = [count for count in (best - 1, best + 1) if count in scores.index]
        nearest = max(neighbours, key=lambda count: scores[count], default=None)
        if nearest is not None:
            found[nearest] = f"the better neighbour ({scores[nearest]:.2f}), if {best} do not fit the campaign"
    return found
