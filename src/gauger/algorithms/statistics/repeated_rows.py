"""Rows that repeat something hidden: a join that writes an entity's own columns next to each of several orders."""

from dataclasses import dataclass
from itertools import chain, combinations

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]
Codes = NDArray[np.intp]

_LEAST_DISTINCT, _MOST_SHARE = 20, 0.7
"""Values of what identifies the repeats: fewer are levels, a larger share of the rows repeats little; chosen by us."""

_LEAST_LEVELS = 5
"""Values of a column that follows: fewer follow from much by chance; chosen by us."""

_FOLLOWS, _BY_CHANCE = 0.9, 0.6
"""The share of repeats with the same value as the first of theirs from which a column follows, and the most that it
may have where rows are mixed: chosen by us."""

_MOST_COLUMNS = 12
"""Up to so many columns pairs are looked at too, for what no single one identifies: chosen by us."""


@dataclass(frozen=True, eq=False)
class HiddenRepeats:
    """Columns, by place, that are the same throughout rows of one hidden entity, and which one each row has (n,)."""

    columns: tuple[int, ...]
    codes: Codes

    @property
    def distinct(self) -> int:
        """How many hidden entities there are."""
        return int(self.codes.max()) + 1

    @property
    def extent(self) -> tuple[int, int]:
        """How many columns repeat, and how many hidden entities there are: the most of both is the best account."""
        return len(self.columns), self.distinct


def hidden_repeats(values: Values, rng: np.random.Generator) -> HiddenRepeats | None:
    """What rows (n, d) repeat, None where they do not: a column, or two, from which another one follows that is no
    function of it in order, while a third differs from row to row."""
    n, d = values.shape
    levels = [np.unique(column, return_inverse=True)[1].ravel() for column in values.T]
    many = [int(own.max(initial=0)) + 1 for own in levels]
    pairs = combinations(range(d), 2) if d <= _MOST_COLUMNS else ()
    order = rng.permutation(n)
    best: HiddenRepeats | None = None
    for chosen in chain(((place,) for place in range(d)), pairs):
        codes = levels[chosen[0]]
        if len(chosen) == 2:
            codes = _together(codes, levels[chosen[1]], many[chosen[1]])
        if not _LEAST_DISTINCT <= int(codes.max(initial=0)) + 1 <= _MOST_SHARE * n:
            continue
        followers = [
            place
            for place in range(d)
            if place not in chosen
            and many[place] >= _LEAST_LEVELS
            and _same(codes, levels[place]) >= _FOLLOWS
            and _same(codes, levels[place][order]) <= _BY_CHANCE
            and not any(_in_order(values[:, one], values[:, place]) for one in chosen)
        ]
        found = HiddenRepeats(tuple(sorted((*chosen, *followers))), codes)
        if followers and len(found.columns) < d and (best is None or found.extent > best.extent):
            best = found
    return best


def _together(one: Codes, other: Codes, many: int) -> Codes:
    return np.asarray(np.unique(one * many + other, return_inverse=True)[1]).ravel()


def _same(codes: Codes, levels: Codes) -> float:
    """The share of rows, but the first of each code, whose level is that of the first."""
    first = np.unique(codes, return_index=True)[1]
    return float(((levels == levels[first][codes]).sum() - len(first)) / max(len(codes) - len(first), 1))


def _in_order(one: Values, other: Values) -> bool:
    """Whether a column rises or falls with another throughout, as a measure in other words does."""
    ordered = other[np.argsort(one, kind="stable")]
    steps = np.diff(ordered)
    return bool((steps >= 0.0).all() or (steps <= 0.0).all())
