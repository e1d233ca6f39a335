"""Single linkage through the minimum spanning tree: its links by length are the merges.

Gower & Ross (1969), Applied Statistics 18(1), 54-64.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.merge_trees.merges import Merges
from gauger.algorithms.neighbours import BoxTree, FromOne, Links, link_branches, links_by_rows, links_in_boxes

Values = NDArray[np.float64]


def merge_by_links(n: int, from_one: FromOne, advance: Callable[[int], None]) -> Merges:
    """Every merge of n leaves whose distances from one of them are `from_one(leaf)` (n,), by height."""
    return merges_of_links(*links_by_rows(n, from_one, advance))


def merge_points_by_links(columns: Values, advance: Callable[[int], None]) -> Merges:
    """The same for points (d, n) under the Euclidean distance."""
    boxes = BoxTree(columns, np.zeros(columns.shape[1]))
    links, lengths = links_in_boxes(boxes, advance)
    return merges_of_links(boxes.order[links], np.sqrt(lengths))


def merges_of_links(links: Links, lengths: Values) -> Merges:
    """The merges that links between leaves make, the shortest first."""
    order = np.argsort(lengths, kind="stable")
    left, right = np.empty(len(order), dtype=np.int64), np.empty(len(order), dtype=np.int64)
    link_branches(links[order], left, right)
    merges = Merges(len(links) + 1)
    merges.add(left, right, lengths[order])
    return merges
