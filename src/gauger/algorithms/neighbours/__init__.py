"""Who is near whom: a tree of boxes, links within a limit, and the shortest links that hold all together."""

from gauger.algorithms.neighbours.box_search import SLACK, link_rank, nearest_to
from gauger.algorithms.neighbours.box_tree import BoxTree, refit_path
from gauger.algorithms.neighbours.neighbourhoods import (
    Neighbours,
    PairNeighbours,
    PointNeighbours,
    compile_links,
    compile_neighbours,
)
from gauger.algorithms.neighbours.spanning_tree import FromOne, Links, links_by_rows, links_in_boxes
from gauger.algorithms.neighbours.union_find import link_branches

__all__ = [
    "SLACK",
    "BoxTree",
    "FromOne",
    "Links",
    "Neighbours",
    "PairNeighbours",
    "PointNeighbours",
    "compile_links",
    "compile_neighbours",
    "link_branches",
    "link_rank",
    "links_by_rows",
    "links_in_boxes",
    "nearest_to",
    "refit_path",
]
