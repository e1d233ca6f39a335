"""Short rules that tell a segment from the rest, so that a campaign can be explained in a sentence."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.profiling.closeness import sample_of
from gauger.wording import percent

MOST_CONDITIONS = 3
"""A rule of more conditions is none to tell a colleague."""

_SAMPLE = 8_000
"""Customers that rules are searched on; what is told is counted on everyone."""

_KEPT = 4
"""Rules that a search goes on from: judgement."""

_GAIN = 0.01
"""What a further condition must add to a rule's worth: judgement."""

_FEATURES = 12
"""Measures that rules are made of, those of the strongest difference."""

_CUTS = np.concatenate([[0.002, 0.01], np.arange(0.02, 0.21, 0.02), np.arange(0.25, 0.96, 0.05), [0.99, 0.998]])
"""Quantiles that thresholds are tried at, denser at the ends."""

_STEPS = 200.0
"""A threshold is rounded to about so many steps of a feature's range: judgement."""

Values = NDArray[np.float64]
Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class Condition:
    """A feature is at least, or at most, a value; `decimals` is how precisely the value is said."""

    feature: str
    at_least: bool
    value: float
    decimals: int = 2

    def holds(self, table: pd.DataFrame) -> Mask:
        """For which customers it holds; not where the feature has a gap."""
        values = table[self.feature].to_numpy(dtype=np.float64, na_value=np.nan)
        with np.errstate(invalid="ignore"):
            return values >= self.value if self.at_least else values <= self.value

    @property
    def text(self) -> str:
        """As people write it: visits >= 9."""
        return f"{self.feature} {'>=' if self.at_least else '<='} {self.value:.{self.decimals}f}"


@dataclass(frozen=True, eq=False)
class Rule:
    """Conditions that all must hold, and their worth: the harmonic mean of the two shares that `Rule` is told by."""

    conditions: tuple[Condition, ...] = ()
    worth: float = 0.0
    matching: Mask = field(default_factory=lambda: np.empty(0, dtype=np.bool_))

    @property
    def text(self) -> str:
        """The conditions, one after the other."""
        return " and ".join(condition.text for condition in self.conditions) or "everyone"


def rules_of(measures: pd.DataFrame, codes: NDArray[np.integer], scores: pd.DataFrame) -> pd.DataFrame:
    """A row a segment: rule, matching (customers), share_of_segment (of it that match) and share_of_matching.

    share_of_segment is how much of the segment the rule finds, share_of_matching how many of those it finds are in the
    segment, both 0 to 1. A rule has up to three conditions on the features that differ most, and is the one with the
    highest harmonic mean of both that was found: conditions are added one by one, the best four are followed. Searched
    on at most 8,000 customers, and counted on all. `scores` has a row a segment, in the order of codes from 1, and a
    column a measure.
    """
    rows = sample_of(len(codes), _SAMPLE)
    sample, own = measures.iloc[rows], codes[rows]
    columns = {name: sample[name].to_numpy(dtype=np.float64, na_value=np.nan) for name in measures.columns}
    cuts = {name: _Cuts.of(values) for name, values in columns.items()}
    found = []
    for number, (_, differences) in enumerate(scores.iterrows(), 1):
        strongest = differences.abs().sort_values(ascending=False, kind="stable").index[:_FEATURES]
        rule = _search({name: columns[name] for name in strongest}, cuts, own == number)
        found.append(_counted(rule, measures, codes == number))
    return pd.DataFrame(
        found, index=scores.index, columns=["rule", "matching", "share_of_segment", "share_of_matching"]
    )


def _counted(rule: Rule, measures: pd.DataFrame, inside: Mask) -> tuple[str, int, float, float]:
    matching = np.ones(len(inside), dtype=np.bool_)
    for condition in rule.conditions:
        matching &= condition.holds(measures)
    both, all_matching = int((matching & inside).sum()), int(matching.sum())
    size = int(inside.sum())
    return rule.text, all_matching, both / size if size else np.nan, both / all_matching if all_matching else np.nan


@dataclass(frozen=True, eq=False)
class _Cuts:
    """How a feature is rounded when it is said."""

    step: float
    decimals: int

    @classmethod
    def of(cls, values: Values) -> "_Cuts":
        present = values[~np.isnan(values)]
        if not present.size:
            return cls(1.0, 0)
        low, high = np.quantile(present, (0.01, 0.99))
        span = float(high - low) or float(np.ptp(present)) or 1.0
        exponent = int(np.floor(np.log10(span / _STEPS))) + 1
        if (present % 1.0 == 0.0).all():
            exponent = max(exponent, 0)
        return cls(10.0**exponent, max(-exponent, 0))

    def thresholds(self, ordered: Values) -> Values:
        """Round values to cut at, ascending."""
        indices = ordered[np.rint(_CUTS * (len(ordered) - 1)).astype(np.intp)]
        steps = np.unique(np.concatenate([np.floor(indices / self.step), np.ceil(indices / self.step)]))
        return np.round(steps * self.step, self.decimals)  # just what is said


def _search(columns: dict[str, Values], cuts: dict[str, _Cuts], inside: Mask) -> Rule:
    """The best rule found for those inside."""
    size = int(inside.sum())
    everyone = np.ones(len(inside), dtype=np.bool_)
    start = Rule((), _worth(size, len(inside), size), everyone)
    best, kept = start, [start]
    if not size or size == len(inside):
        return start
    for _ in range(MOST_CONDITIONS):
        grown = [rule for base in kept for rule in _grown(base, columns, cuts, inside, size)]
        kept = _distinct(sorted(grown, key=lambda rule: -rule.worth))
        if not kept or kept[0].worth < best.worth + _GAIN:
            return best
        best = kept[0]
    return best


def _distinct(rules: Sequence[Rule]) -> list[Rule]:
    """The first few that are not the same conditions in another order."""
    chosen: dict[frozenset[Condition], Rule] = {}
    for rule in rules:
        chosen.setdefault(frozenset(rule.conditions), rule)
        if len(chosen) == _KEPT:
            break
    return list(chosen.values())


def _grown(base: Rule, columns: dict[str, Values], cuts: dict[str, _Cuts], inside: Mask, size: int) -> Iterator[Rule]:
    """The base with one condition more: for each feature and side the best threshold."""
    for name, values in columns.items():
        held = base.matching & ~np.isnan(values)
        own, others = np.sort(values[held & inside]), np.sort(values[held & ~inside])
        if not own.size:
            continue
        thresholds = cuts[name].thresholds(own)
        for at_least in (True, False):
            if any(one.feature == name and one.at_least == at_least for one in base.conditions):
                continue
            hits, false = _counts(own, thresholds, at_least), _counts(others, thresholds, at_least)
            worth = 2.0 * hits / (hits + false + size)
            index = int(worth.argmax())
            condition = Condition(name, at_least, float(thresholds[index]), cuts[name].decimals)
            matching = values >= thresholds[index] if at_least else values <= thresholds[index]
            yield Rule((*base.conditions, condition), float(worth[index]), base.matching & matching)


def _counts(ordered: Values, thresholds: Values, at_least: bool) -> NDArray[np.intp]:
    if at_least:
        return len(ordered) - np.searchsorted(ordered, thresholds, "left")
    return np.searchsorted(ordered, thresholds, "right")


def _worth(hits: int, matching: int, size: int) -> float:
    return 2.0 * hits / (matching + size) if size else 0.0


def rule_sentence(name: str, row: pd.Series) -> str:
    """A rule with what it is worth: "visits >= 9: 91% of segment 2, 88% of those who match"."""
    found, right = percent(row["share_of_segment"]), percent(row["share_of_matching"])
    return f"{row['rule']}: {found} of {name}, {right} of those who match"
