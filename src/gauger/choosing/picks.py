"""What each criterion alone would take, by its own rule."""

from collections.abc import Mapping

import pandas as pd

from gauger.algorithms.diagnostics import Elbow, Gap
from gauger.wording import listed, plural

SHARP = 0.4
"""The strength from which an elbow is one: a straight or smoothly falling curve stays below (tests)."""

STRONG, STABLE = 0.8, 0.85
"""The usual limits: prediction strength 0.8 (Tibshirani & Walther 2005), and stability 0.85 (Hennig 2007)."""

Scores = Mapping[int, float]
Picks = Mapping[str, int | None]

_NAMES = {
    "silhouette": "the silhouette",
    "elbow": "the elbow",
    "gap": "the gap",
    "prediction_strength": "prediction strength",
    "stability": "stability",
    "calinski_harabasz": "Caliński-Harabasz",
    "davies_bouldin": "Davies-Bouldin",
    "merge_jump": "the largest merge jump",
}


def scores_of(table: pd.DataFrame, name: str) -> dict[int, float]:
    """A column of a study's table by count, without its gaps."""
    present = table[name].dropna()
    return dict(zip(present.index.tolist(), present.tolist(), strict=True))


def criteria_picks(table: pd.DataFrame, gap: Gap, elbow: Elbow | None) -> dict[str, int | None]:
    """The count that each criterion alone would take; None where it does not say.

    The highest silhouette and Caliński-Harabasz ratio, the lowest Davies-Bouldin ratio, an elbow of strength 0.4 or
    more, the first gap within one error of the next, and the largest count with a prediction strength of 0.8 or a
    stability above 0.85; for a tree also the largest jump between merges.
    """
    overlap = scores_of(table, "davies_bouldin")
    jump = {"merge_jump": _highest(scores_of(table, "merge_jump"))} if "merge_jump" in table else {}
    return {
        "silhouette": _highest(scores_of(table, "silhouette")),
        "elbow": elbow.count if elbow is not None and elbow.strength >= SHARP else None,
        "gap": gap.first_within_error(),
        "prediction_strength": _last_at_least(scores_of(table, "prediction_strength"), STRONG),
        "stability": _last_at_least(scores_of(table, "stability"), STABLE),
        "calinski_harabasz": _highest(scores_of(table, "calinski_harabasz")),
        "davies_bouldin": min(overlap, key=lambda count: overlap[count], default=None),
        **jump,
    }


def picks_in_words(picks: Picks) -> str:
    """What some criteria say: "the gap says 4; stability and Davies-Bouldin say 5"."""
    by_count: dict[int, list[str]] = {}
    for name, pick in picks.items():
        if pick is not None:
            by_count.setdefault(pick, []).append(_NAMES[name])
    return "; ".join(
        f"{listed(names, most=8)} {plural(len(names), 'says', 'say')} {pick}"
        for pick, names in sorted(by_count.items())
    )


def names_in_words(picks: Picks) -> str:
    """The names of some criteria."""
    return listed([_NAMES[name] for name in picks], most=8)


def _highest(scores: Scores) -> int | None:
    return max(scores, key=lambda count: scores[count], default=None)


def _last_at_least(scores: Scores, limit: float) -> int | None:
    return max((count for count, value in scores.items() if value >= limit), default=None)
