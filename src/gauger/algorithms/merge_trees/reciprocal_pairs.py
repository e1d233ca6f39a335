"""Merging in rounds: in each, all pairs of branches that are each other's nearest are joined.

For linkages under which a joined branch is never nearer to a third than both its parts were (complete, average,
weighted, Ward), this gives the same tree as always joining the closest pair (Murtagh 1983, The Computer Journal 26(4),
354-359), and a branch has to look again only when its nearest one was joined. The looks of one round do not depend on
each other, so that threads change nothing.
"""

from collections.abc import Callable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.merge_trees.merges import Merges
from gauger.algorithms.neighbours import SLACK

_CROWDED = 0.6
"""Once fewer than this share of the slots are taken, the rest move together: moving costs about as much as it saves."""

Values = NDArray[np.float64]
Slots = NDArray[np.int64]


class Space(Protocol):
    """Branches in slots: what is nearest to one, and what becomes of two that are joined."""

    order: Slots
    """The leaf in each slot at the beginning."""

    def nearest(self, slots: Slots) -> tuple[Slots, Values, Values]:
        """For each of some branches the nearest other one, how far that is, and how far the runner-up."""

    def join(self, firsts: Slots, seconds: Slots) -> None:
        """Join each first branch with its second, in the slot of the first."""

    def compact(self, kept: Slots) -> Slots:
        """Keep only these slots, given in order, perhaps in a better one; returns that, as places in `kept`."""


def merge_reciprocal_pairs(space: Space, advance: Callable[[int], None]) -> Merges:
    """Every merge of the branches in a space, in the order of their heights."""
    n = len(space.order)
    merges = Merges(n)
    node = space.order.copy()
    nearest, value = np.zeros(n, dtype=np.int64), np.zeros(n)
    alive = np.ones(n, dtype=np.bool_)
    due = np.arange(n)
    left = n
    while left > 1:
        nearest[due], value[due], rival = space.nearest(due)
        merges.tied |= bool(((rival <= value[due] * (1.0 + SLACK)) & (value[due] > 0.0)).any())
        slots = np.flatnonzero(alive)
        mutual = slots[(nearest[nearest[slots]] == slots) & (slots < nearest[slots])]
        if not len(mutual):  # a ring of equal distances: fresh looks agree on the lowest rank
            due = slots
            continue
        partners = nearest[mutual]
        node[mutual] = merges.add(node[mutual], node[partners], value[mutual])
        space.join(mutual, partners)
        alive[partners] = False
        touched = np.zeros(len(alive), dtype=np.bool_)
        touched[mutual] = touched[partners] = True
        left -= len(mutual)
        advance(len(mutual))
        due = np.flatnonzero(alive & (touched | touched[nearest]))
        if left < _CROWDED * len(alive):
            kept = np.flatnonzero(alive)
            kept = kept[space.compact(kept)]
            index = np.zeros(len(alive), dtype=np.int64)
            index[kept] = np.arange(left)
            still = np.isin(kept, due)
            node, value, nearest = node[kept], value[kept], index[nearest[kept]]
            alive, due = np.ones(left, dtype=np.bool_), np.flatnonzero(still)
    return merges.in_order()
