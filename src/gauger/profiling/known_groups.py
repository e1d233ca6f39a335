"""How far segments go with something that is known of customers, and what one would guess of it from them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.statistics import cramers_v, cramers_v_interval, guessed_right
from gauger.segmentation import UNASSIGNED
from gauger.wording import percent, plural


@dataclass(frozen=True)
class Association:
    """How far segments and a known column go together, over the `customers` of whom it is known.

    `cramers_v` is 0 when they have nothing to do with each other and 1 when the segment determines the level; it is
    corrected for its upward bias. `low` and `high` are its 95 % interval. `guessed` is the share of customers whose
    level is guessed right from the segment, each segment's most frequent, `guessed_without` the same for everyone.
    """

    customers: int
    cramers_v: float
    low: float
    high: float
    guessed: float
    guessed_without: float

    def headline(self) -> str:
        """V with its interval, in a line."""
        known = f"{self.customers:,} {plural(self.customers, 'customer')} with a value"
        if np.isnan(self.cramers_v):
            return f"{known}, in one segment, with one value, or too few: there is nothing that could go together"
        return f"Cramér's V {self.cramers_v:.2f} (95% interval {self.low:.2f} to {self.high:.2f}), {known}"

    def in_words(self, title: str) -> str:
        """What one would guess from the segment alone."""
        better = self.guessed - self.guessed_without
        more = "no better than without it" if better < 0.005 else f"without it for {percent(self.guessed_without)}"
        return f"From the segment alone one would guess {title} right for {percent(self.guessed)}, {more}."


def association_of(crossing: NDArray[np.int64]) -> Association | None:
    """The association in a contingency table whose first row and column are of the unassigned; None of nobody."""
    table = crossing[:, UNASSIGNED + 1 :]
    table = table[table.sum(axis=1) > 0]
    if not table.size or not table.sum():
        return None
    low, high = cramers_v_interval(table)
    return Association(int(table.sum()), cramers_v(table), low, high, *guessed_right(table))
