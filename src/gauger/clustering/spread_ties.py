"""Customers whose ties are spread, so that whole days, flags and heaps are not dense by themselves."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms import RowOrder, fixed_generator
from gauger.algorithms.statistics import Smoother

Values = NDArray[np.float64]
Rows = NDArray[np.intp]


def without_ties(everyone: RowOrder) -> RowOrder:
    """The same customers with the ties of each feature spread at random over the gaps around them, on its own width.

    On the working scale, so that a day is as wide as the transform makes it; the draws depend on no seed. The same
    value where nothing repeats.
    """
    rng = fixed_generator()
    return replace(everyone, columns=np.array([_spread(column, rng) for column in everyone.columns]))


def stand_ins(everyone: RowOrder, group: Rows, left: Values) -> Rows:
    """The row that speaks for each row of a row order and for all its copies (n,).

    Copies are spread like other ties, so they can end in different groups (n,; -1 where a row is in no group). Among
    the copies in their most frequent group, the one in the middle by `left` (n,) speaks for all.
    """
    starts = everyone.distinct()
    copies = np.repeat(np.arange(len(starts)), np.diff(np.append(starts, everyone.size)))
    order = np.lexsort((left, group, copies))
    changes = (np.diff(copies[order]) != 0) | (np.diff(group[order]) != 0)
    runs = np.flatnonzero(np.concatenate([[True], changes]))
    lengths = np.diff(np.append(runs, len(order)))
    best = np.lexsort((runs, -lengths, copies[order[runs]]))
    chosen = best[np.unique(copies[order[runs[best]]], return_index=True)[1]]
    return np.asarray(order[runs[chosen] + (lengths[chosen] - 1) // 2][copies])


def _spread(column: Values, rng: np.random.Generator) -> Values:
    if not column.std():
        return column
    smooth = Smoother.of(column).draw(rng)
    return np.asarray((smooth - smooth.mean()) * (column.std() / (smooth.std() or 1.0)) + column.mean())
