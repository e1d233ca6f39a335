"""How far segments go with something that is known of customers, and what one would guess of it from them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms import Stream
from gauger.algorithms.statistics import cramers_v, cramers_v_interval, guessed_right
from gauger.segmentation import UNASSIGNED
from gauger.wording import percent, plural


@dataclass(frozen=True)
class Association:
    """How far segments and a known column go together, over the `customers` of whom it is known.

    `cramers_v` is 0 when they have nothing to do with each other and 1 when the segment tells the level, `low` and
    `high` its 95 % interval, `by_chance` what chance alone would show. `guessed` is the share of customers whose level
    is guessed right from the segment, each segment's most frequent, `guessed_without` the same for everyone alike.
    """

    customers: int
    cramers_v: float
    low: float
    high: float
    by_chance: float
    guessed: float
    guessed_without: float

    def headline(self) -> str:
        """V with its interval and what chance would show, in a line."""
        known = f"{self.customers:,} {plural(self.customers, 'customer')} with a value"
        if np.isnan(self.cramers_v):
            return f"{known}, in one segment or with one value: there is nothing that could go together"
        return (
            f"Cramér's V {self.cramers_v:.2f} ({self.low:.2f} to {self.high:.2f}; by chance {self.by_chance:.2f}), "
            f"{known}"
        )

    def in_words(self, title: str) -> str:
        """What one would guess from the segment alone."""
        better = self.guessed - self.guessed_without
        more = "no better than without it" if better < 0.005 else f"without it for {percent(self.guessed_without)}"
        return f"From the segment alone one would guess {title} right for {percent(self.guessed)}, {more}."


def association_of(crossing: NDArray[np.int64], seed: int) -> Association | None:
    """The association in a contingency table whose first row and column are of the unassigned; None of nobody."""
    table = crossing[:, UNASSIGNED + 1 :]
    table = table[table.sum(axis=1) > 0]
    if not table.size or not table.sum():
        return None
    known, value = int(table.sum()), float(cramers_v(table))
    low, high, by_chance = (np.nan,) * 3
    if not np.isnan(value):
        low, high, by_chance = cramers_v_interval(table, Stream.ASSOCIATION.generator(seed))
    return Association(known, value, low, high, by_chance, *guessed_right(table))
