"""Whether k-means can follow the groups at all: round segments against groups by density."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms import RowOrder
from gauger.algorithms.density import groups_of_levels, split_hierarchy, usual_min_points, usual_smoothing
from gauger.algorithms.merge_trees import merges_of_links
from gauger.algorithms.neighbours import PointNeighbours, compile_links
from gauger.algorithms.statistics import adjusted_rand, contingency_table, purity
from gauger.clustering.density_levels import checked_smallest
from gauger.clustering.spread_ties import without_ties
from gauger.remarks import Remark
from gauger.segmentation import Segmentation

_MOST_CUSTOMERS = 2_000
"""Customers that density looks at beside k-means: judgement."""

_MOST_FEATURES = 8
"""Over more features density tells little (see `density_cautions`)."""

_FEW_COPIES = 0.95
"""With a smaller share of distinct customers each is looked at once: copies would be dense spots; judgement."""

_PURE = 0.9
"""From this purity one way round, segments and groups are no contradiction: judgement, tried on `benchmarks.shapes`."""

Values = NDArray[np.float64]
Codes = NDArray[np.integer]


def about_roundness(everyone: RowOrder, seg: Segmentation) -> Iterator[Remark]:
    """A remark where density shows groups that round segments cut apart and mix at the same time.

    Groups inside segments, or segments inside groups, are no contradiction. On up to 2,000 customers, and not over more
    than eight features, where distances lose their contrast.
    """
    features, customers = everyone.columns.shape
    distinct = everyone.distinct()
    sample = (distinct if len(distinct) < _FEW_COPIES * customers else np.arange(customers))[:_MOST_CUSTOMERS]
    smallest = checked_smallest(None, len(sample)) if len(sample) > 1 else 1
    if features > _MOST_FEATURES or len(sample) < 2 * usual_min_points(features):
        return
    groups = _groups_by_density(without_ties(everyone.part(sample)).columns, smallest)
    count = int(groups.max(initial=0))
    own = seg.codes[everyone.order[sample]]
    grouped = groups > 0
    segments, groups = own[grouped], groups[grouped]
    crossing = contingency_table(segments, groups)
    if count < 2 or (seg.count > 1 and max(purity(crossing), purity(crossing.T)) >= _PURE):
        return
    fate = (
        f"its {seg.count} segments cut groups apart and put parts of others together (adjusted Rand "
        f"{adjusted_rand(segments, groups):.2f})"
        if seg.count > 1
        else "they lie around or beside each other so that it sees one cloud"
    )
    yield Remark(
        "not-round",
        f"by density the customers form {count} groups whose shape k-means cannot follow: {fate}. Look at density too: "
        "study_radius and segment_by_density (gauger radius).",
    )


def _groups_by_density(columns: NDArray[np.float64], smallest: int) -> Codes:
    """The group of each customer by density levels, from 1; 0 for none."""
    compile_links()
    enough = usual_smoothing(len(columns), columns.shape[1], smallest)
    near = PointNeighbours(np.ascontiguousarray(columns), city=False)
    reach = near.nth_distances(enough)
    merges = merges_of_links(*near.links(reach, lambda _: None))
    found = split_hierarchy(merges, reach, len(columns), smallest, enough)
    return groups_of_levels(found)[1] + 1
