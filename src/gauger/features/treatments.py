"""What is done to a feature before clustering: each treatment learns once, applies to any values and can be undone."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from gauger.errors import SettingError

Values = NDArray[np.float64]

MISSING_RULES = ("refuse", "drop", "zero", "median")
SCALES = ("none", "zscore", "minmax")

NO_RANGE = 1e-290
"""A range below this is no range: dividing by it would leave the numbers that floats can hold."""


class Treatment(Protocol):
    """One step of preparation with what it learned; `apply` and `undo` take and return values of any length."""

    @property
    def text(self) -> str:
        """What was done, in a few words with the figures learned."""

    def apply(self, values: Values) -> Values:
        """The treated values."""

    def undo(self, values: Values) -> Values:
        """The values before the treatment, as far as it can be undone."""


@dataclass(frozen=True)
class Fill:
    """Missing values replaced by one value; stays when undone, for a filled value cannot be told from a real one."""

    rule: str
    value: float
    filled: int

    @property
    def text(self) -> str:
        return f"{self.filled:,} missing set to {self.value:,.6g} ({self.rule})"

    def apply(self, values: Values) -> Values:
        return np.where(np.isnan(values), self.value, values)

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
        return f"min-max: from {self.shift:,.6g}, range {self.width:,.6g}"

    def apply(self, values: Values) -> Values:
        return (values - self.shift) / self.width

    def undo(self, values: Values) -> Values:
        return values * self.width + self.shift


def learn_fill(values: Values, rule: str) -> Fill | None:
    """The fill for a feature's missing values, or None when it has none."""
    gaps = np.isnan(values)
    if not gaps.any():
        return None
    value = 0.0 if rule == "zero" else float(np.median(values[~gaps]))
    return Fill(rule, value, int(gaps.sum()))


def learn_cap(values: Values, quantiles: tuple[float, float] | None) -> Cap | None:
    """Limits at two quantiles of the values, 0 <= low < high <= 1."""
    if quantiles is None:
        return None
    try:
        lower, upper = (float(quantile) for quantile in quantiles)
    except (TypeError, ValueError):
        lower, upper = 1.0, 0.0
    if not 0.0 <= lower < upper <= 1.0:
        raise SettingError(f"cap={quantiles!r} must be two quantiles with 0 <= low < high <= 1, such as (0.0, 0.99).")
    low, high = (float(limit) for limit in np.quantile(values, (lower, upper)))
    return Cap(low, high, int(np.count_nonzero((values < low) | (values > high))))


def learn_scale(values: Values, rule: str) -> Scale | None:
    """Shift and width of a feature: mean and standard deviation, or minimum and range; width 1 without a range."""
    if rule == "none":
        return None
    low, high = float(values.min()), float(values.max())
    if high - low < NO_RANGE:
        return Scale(rule, low, 1.0)
    if rule == "minmax":
        return Scale(rule, low, high - low)
    span = high - low
    return Scale(rule, float(values.mean()), float(((values - low) / span).std()) * span)
