"""What is done to a feature before clustering: each treatment learns once, applies to any values and can be undone."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from gauger.columns import ColumnFacts, Values

MISSING_RULES = ("refuse", "drop", "zero", "mean", "median")
SCALES = ("none", "zscore", "minmax", "robust", "rank")

NO_RANGE = 1e-290
"""A range below this is no range: dividing by it would leave the numbers that floats can hold."""

_KNOTS = 1_000
"""Points of the curve that ranks are interpolated on: judgement."""

NORMAL_QUARTILES = 1.3489795003921634
"""The quartiles of a normal distribution are this far apart, in standard deviations."""


class Treatment(Protocol):
    """One step of preparation with what it learned; `apply` and `undo` take and return values of any length."""

    @property
    def text(self) -> str:
        """What was done, in a few words with the figures learned; empty when there was nothing to do."""

    def apply(self, values: Values) -> Values:
        """The treated values."""

    def undo(self, values: Values) -> Values:
        """The values before the treatment, as far as it can be undone."""


@dataclass(frozen=True)
class Fill:
    """Missing values replaced by one value; stays when undone, for a filled value cannot be told from a real one.

    Under the rules refuse and drop there is no such value, and nothing is replaced.
    """

    rule: str
    value: float | None
    filled: int

    @property
    def text(self) -> str:
        return f"{self.filled:,} missing set to {self.value:,.6g} ({self.rule})" if self.filled else ""

    def apply(self, values: Values) -> Values:
        return values if self.value is None else np.where(np.isnan(values), self.value, values)

    def undo(self, values: Values) -> Values:
        return values


@dataclass(frozen=True)
class Cap:
    """Values beyond two limits pulled in to them; stays when undone."""

    low: float
    high: float
    capped: int

    @property
    def text(self) -> str:
        return f"{self.capped:,} capped to {self.low:,.6g} … {self.high:,.6g}"

    def apply(self, values: Values) -> Values:
        return np.clip(values, self.low, self.high)

    def undo(self, values: Values) -> Values:
        return values


@dataclass(frozen=True)
class Scale:
    """Values shifted and divided: (value - shift) / width."""

    rule: str
    shift: float
    width: float

    @property
    def text(self) -> str:
        if self.rule == "zscore":
            return f"z-score: mean {self.shift:,.6g}, standard deviation {self.width:,.6g}"
        if self.rule == "robust":
            return f"robust: median {self.shift:,.6g}, width {self.width:,.6g} from the quartiles"
        return f"min-max: from {self.shift:,.6g}, range {self.width:,.6g}"

    def apply(self, values: Values) -> Values:
        treated = values - self.shift
        treated /= self.width
        return treated

    def undo(self, values: Values) -> Values:
        return values * self.width + self.shift


@dataclass(frozen=True)
class Rank:
    """Values replaced by the share of customers below them (ties halfway), between 0 and 1, by linear interpolation."""

    values: tuple[float, ...]
    shares: tuple[float, ...]

    @property
    def text(self) -> str:
        return f"rank among {len(self.values):,} learned values"

    def apply(self, values: Values) -> Values:
        return np.interp(values, self.values, self.shares)

    def undo(self, values: Values) -> Values:
        return np.interp(values, self.shares, self.values)


@dataclass(frozen=True)
class Weight:
    """Values multiplied by how much the feature is to count."""

    factor: float

    @property
    def text(self) -> str:
        return f"weight {self.factor:,.4g}"

    def apply(self, values: Values) -> Values:
        return values * self.factor

    def undo(self, values: Values) -> Values:
        return values / self.factor


def apply_all(treatments: Sequence[Treatment], values: Values) -> Values:
    """The values after every treatment, in order."""
    for treatment in treatments:
        values = treatment.apply(values)
    return values


def undo_all(treatments: Sequence[Treatment], values: Values) -> Values:
    """The values before all of the treatments, as far as they can be undone."""
    for treatment in reversed(treatments):
        values = treatment.undo(values)
    return values


def learn_fill(facts: ColumnFacts, rule: str | float) -> Fill:
    """What a missing value becomes: zero, the mean or median of the others, or a number."""
    if rule in ("refuse", "drop"):
        return Fill(str(rule), None, 0)
    if isinstance(rule, str):
        learned = {
            "zero": lambda: 0.0,
            "mean": lambda: float(facts.ordered.mean()),
            "median": lambda: facts.quantile(0.5),
        }
        return Fill(rule, learned[rule](), facts.missing)
    return Fill("given", float(rule), facts.missing)


def learn_cap(facts: ColumnFacts, quantiles: tuple[float, float] | None) -> Cap | None:
    """Limits at two quantiles of the values, 0 <= low < high <= 1."""
    if quantiles is None:
        return None
    low, high = (facts.quantile(float(quantile)) for quantile in quantiles)
    below = int(np.searchsorted(facts.ordered, low, "left"))
    above = len(facts.ordered) - int(np.searchsorted(facts.ordered, high, "right"))
    return Cap(low, high, below + above)


def learn_scale(ordered: Values, rule: str) -> Scale | Rank | None:
    """Shift and width of a feature, or its ranks, from its values in order, so that rows may come in any.

    zscore: mean and standard deviation. minmax: minimum and range. robust: median, and the distance of the quartiles
    over 1.349, which is the standard deviation of normal values; the standard deviation where the quartiles meet.
    Width 1 for a feature without a range.
    """
    if rule == "none":
        return None
    low, high = float(ordered[0]), float(ordered[-1])
    span = high - low
    if span < NO_RANGE:
        return Scale(rule, low, 1.0)
    if rule == "rank":
        return _learn_rank(ordered)
    if rule == "minmax":
        return Scale(rule, low, span)
    shifted = (ordered - low) / span
    width = float(shifted.std()) * span
    if rule == "zscore":
        return Scale(rule, low + float(shifted.mean()) * span, width)
    facts = ColumnFacts(ordered, len(ordered))
    quartiles = facts.quantile(0.75) - facts.quantile(0.25)
    return Scale(rule, facts.quantile(0.5), quartiles / NORMAL_QUARTILES if quartiles >= NO_RANGE else width)


def learn_weight(factor: float | None) -> Weight | None:
    """A weight above 0, or None for 1."""
    return None if factor is None or factor == 1.0 else Weight(float(factor))


def _learn_rank(ordered: Values) -> Rank:
    firsts = np.concatenate([[0], np.flatnonzero(ordered[1:] != ordered[:-1]) + 1])
    shares = (firsts + np.append(firsts[1:], len(ordered))) / 2.0 / len(ordered)
    if len(firsts) > _KNOTS:
        kept = np.unique(np.searchsorted(shares, np.linspace(shares[0], shares[-1], _KNOTS)))
        firsts, shares = firsts[kept], shares[kept]
    return Rank(tuple(ordered[firsts].tolist()), tuple(shares.tolist()))
