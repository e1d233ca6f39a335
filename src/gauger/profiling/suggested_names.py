"""Plain names for segments, from what sets each apart: two or three words, never a judgement about people."""

import re
from collections import Counter
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd

from gauger.features import Indicator

_STRONG, _FAINT, _VERY = 0.5, 0.25, 1.6
"""Standard deviations that a second word needs, that any word needs, and that "very" needs: judgement, after Cohen's
medium and small effects."""

_BESIDE = 0.4
"""A second word is said when its difference is at least this share of the first's."""

_COUNTS = re.compile(r"^(visits|orders|calls|events|purchases|bookings|sessions|logins|trips|seats|items|refunds)(_|$)")
_AMOUNTS = re.compile(
    r"(^|_)(spend|spent|amount|revenue|income|sales|price|cost|value|balance|paid|fees?|money|score|rating|share|rate"
    r"|percent|km|minutes|hours|age|tenure|distance)(_|$)"
)
"""What is many, and what is much whatever its numbers look like."""
_ENDINGS = {"_mean": "a time", "_total": "in all", "_median": "usually", "_largest": "at most"}
_PHRASES = (
    (re.compile(r"^(recency|days_since)"), "here lately", "long away"),
    (re.compile(r"^tenure"), "new", "with us for long"),
    (re.compile(r"^gap_days"), "short gaps", "long gaps"),
    (re.compile(r"(^|_)age$"), "lower age", "higher age"),
    (re.compile(r"^(?P<what>.+)_trend$"), "falling {what}", "rising {what}"),
    (re.compile(r"^(?:spend_)?share_(?:kind_|of_)?(?P<what>.+)$"), "little {what}", "much {what}"),
)


@dataclass(frozen=True)
class _Part:
    """One difference in words, and in words that say how large it is."""

    plain: str
    graded: str


def suggested_names(
    scores: pd.DataFrame,
    indicators: Mapping[str, Indicator],
    names: Mapping[int, str],
    *,
    medians: pd.DataFrame,
    counts: Collection[str] = (),
) -> dict[int, str]:
    """A name for each segment by number, from the features it differs in most (`scores`, a row a segment).

    The strongest difference, and the next if it is nearly as strong; where two segments would be called the same, how
    strong they are, and more of them. A segment that differs in nothing is "like everyone". `names` tell apart what
    nothing else does. Nothing is said that is false of the segment's median customer: `medians` has a row a segment and
    everyone last. Of `counts` there are few, of other measures little.
    """
    table = _true_of_medians(scores.astype(np.float64).fillna(0.0), medians, indicators)
    words = _nouns(indicators, counts)
    differences = {number: _ordered(table.loc[number]) for number in table.index.tolist()}
    parts = {
        number: [
            _Part(words(name, score > 0.0), _graded(words(name, score > 0.0), score)) for name, score in order if score
        ]
        for number, order in differences.items()
    }
    found = {number: [part.plain for part in parts[number][: _said(differences[number])]] for number in parts}
    for length in range(min(2, table.shape[1]), table.shape[1] + 1):
        for number in _clashing(found):
            found[number] = [part.graded for part in parts[number][:length]]
    for number in _clashing(found):
        found[number] = [*found[number], names[number]]
    return {number: ", ".join(dict.fromkeys(said)) or "like everyone" for number, said in found.items()}


def _true_of_medians(scores: pd.DataFrame, medians: pd.DataFrame, indicators: Mapping[str, Indicator]) -> pd.DataFrame:
    """The scores, 0 where the median customer of a segment is not on the side of everyone's that a word would say.

    Of a level that is whether more or fewer than half of the segment have it.
    """
    own = medians.loc[scores.index, scores.columns].to_numpy(dtype=np.float64)
    everyone = medians[scores.columns].iloc[-1].to_numpy(dtype=np.float64)
    of_levels = np.array([name in indicators for name in scores.columns], dtype=np.bool_)
    middle = np.where(of_levels, 0.5, everyone)
    sides = np.sign(np.nan_to_num(own - middle))
    return scores.where(np.sign(scores.to_numpy()) == sides, 0.0)


def _ordered(row: pd.Series) -> list[tuple[str, float]]:
    """Features and how much they differ, the most first."""
    order = row.abs().sort_values(ascending=False, kind="stable").index
    return [(str(name), float(row[name])) for name in order]


def _said(differences: Sequence[tuple[str, float]]) -> int:
    """How many of the differences a name begins with."""
    sizes = [abs(score) for _, score in differences[:2]]
    if not sizes or sizes[0] < _FAINT:
        return 0
    return 2 if len(sizes) > 1 and sizes[1] >= max(_STRONG, _BESIDE * sizes[0]) else 1


def _clashing(found: Mapping[int, Sequence[str]]) -> list[int]:
    """Segments that would be called the same, in whatever order."""
    times = Counter(frozenset(said) for said in found.values())
    return [number for number, said in found.items() if times[frozenset(said)] > 1]


def _graded(words: str, score: float) -> str:
    first = words.split(" ", 1)[0]
    return (
        f"very {words}" if abs(score) >= _VERY and first in ("many", "few", "high", "low", "much", "little") else words
    )


def _nouns(indicators: Mapping[str, Indicator], counts: Collection[str]) -> Callable[[str, bool], str]:
    """How to say that a feature is high, or low: of what, and whether a time or in all."""

    def words(feature: str, high: bool) -> str:
        if feature in indicators:
            own = indicators[feature]
            level = f"{_spaced(own.column)} {'unknown' if own.level is None else own.level.text}"
            return level if high else f"seldom {level}"
        for pattern, low_words, high_words in _PHRASES:
            if match := pattern.search(feature):
                said = high_words if high else low_words
                return said.format(**{name: _spaced(what) for name, what in match.groupdict().items()})
        stem, ending = _without_ending(feature)
        counted = _COUNTS.search(feature) or (feature in counts and not _AMOUNTS.search(feature))
        grade = ("many" if high else "few") if counted else ("high" if high else "low")
        return f"{grade} {_spaced(stem)} {ending}".rstrip()

    return words


def _without_ending(feature: str) -> tuple[str, str]:
    for ending, said in _ENDINGS.items():
        if feature.endswith(ending) and len(feature) > len(ending):
            return feature.removesuffix(ending), said
    return feature, ""


def _spaced(name: str) -> str:
    return re.sub(r"[_\s]+", " ", name).strip()
