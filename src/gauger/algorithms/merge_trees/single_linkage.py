"""Single linkage through the minimum spanning tree: its links by length are the merges.

Gower & Ross (1969), Applied Statistics 18(1), 54-64.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.merge_trees.merges import Joins
from gauger.algorithms.neighbours import BoxTree, FromOne, Links, link_branches, links_by_rows, links_in_boxes

Values = NDArray[np.float64]


def join_by_links(n: int, from_one: FromOne, advance: Callable[[int], None]) -> Joins:
    """Every merge of n leaves whose distances from one of them are `from_one(leaf)` (n,), by height."""
    return joins_of(*links_by_rows(n, from_one, advance))


def join_points_by_links(columns: Values, advance: Callable[[int], None]) -> Joins:
    """The same for points (d, n) under the Euclidean distance."""
    boxes = BoxTree(columns, np.zeros(columns.shape[1]))
    links, lengths = links_in_boxes(boxes, advance)
    return joins_of(boxes.order[links], np.sqrt(lengths))


def joins_of(links: Links, lengths: Values) -> Joins:
    """The merges that links between leaves make, the shortest first."""
    order = np.argsort(lengths, kind="stable")
    left, right = np.empty(len(order), dtype=np.int64), np.empty(len(order), dtype=np.int64)
    link_branches(links[order], left, right)
    joins = Joins(len(links) + 1)
    joins.add(left, right, lengths[order])
    return joins
