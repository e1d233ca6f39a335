"""What merge trees make worth saying: inversions, ties, chains, micro-segments, precision."""

from collections.abc import Iterator

import numpy as np

from gauger.algorithms import bytes_in_words
from gauger.algorithms.distances import SERIES_METRICS
from gauger.algorithms.merge_trees import Merges, MicroSegments, inverted, precision_for
from gauger.algorithms.statistics import contingency_table
from gauger.features import FeatureSet
from gauger.remarks import Remark
from gauger.segmentation import Codes, Segmentation
from gauger.wording import listed, plural

_MOST = 0.9
"""The share of the largest segment that is worth a remark: judgement."""

_LARGE = 2**30
"""Bytes of a matrix that are worth a remark: 1 GB."""


def about_one_segment(seg: Segmentation) -> Iterator[Remark]:
    """Whether one segment holds over nine customers in ten, as chains and outliers make it."""
    share = seg.sizes.max() / len(seg.codes)
    if seg.count > 1 and share > _MOST:
        others = seg.count - 1
        yield Remark(
            "one-holds-most",
            f"segment 1 holds {share:.1%} of the customers, and the other {others} {plural(others, 'has', 'have')} "
            "only the few that lie apart. Ward's linkage makes segments more alike in size, and capping (cap=, --cap) "
            "pulls extreme customers in.",
            segments=(1,),
        )


def about_level_cut(height: float) -> Remark:
    """A cut between two merges of the same height."""
    return Remark(
        "tied-merges",
        f"equal distances decide this cut: merges on both sides of it are at {height:.6g}, and either could have come "
        "first. Take a count with a larger jump in height, or features with finer values.",
    )


def about_ties(codes: Codes, shifted: Codes) -> Iterator[Remark]:
    """Whether a cut has other segments when every customer is moved by a billionth, so that ties fall another way."""
    moved = len(codes) - int(contingency_table(codes, shifted).max(axis=1).sum())
    if moved:
        yield Remark(
            "tied-merges",
            f"equal distances decide this cut: were every customer moved by a billionth, {moved:,} would be in another "
            "segment. Take a count with a larger jump in height, or features with finer values.",
        )


def about_inversions(merges: Merges) -> Iterator[Remark]:
    found = inverted(merges) + 1
    if not len(found):
        return
    yield Remark(
        "inverted-merges",
        f"{len(found):,} {plural(len(found), 'merge lies', 'merges lie')} below an earlier one of its own branch "
        f"({plural(len(found), 'step')} {listed(map(str, found.tolist()))}), as centroid and median linkage can "
        "have it: cut by count rather than by height, or take Ward's or average linkage.",
    )


def about_condensing(micro: MicroSegments | None) -> Iterator[Remark]:
    if micro is None:
        return
    yield Remark(
        "condensed",
        f"{int(micro.weights.sum()):,} customers were gathered into {len(micro.weights):,} micro-segments first; "
        "the tree merges those, and each customer goes where its micro-segment goes.",
    )


def about_series(features: FeatureSet, metric: object) -> Iterator[Remark]:
    if not isinstance(metric, str) or metric not in SERIES_METRICS:
        return
    scaled = tuple(name for name in features.names if any(step.text for step in features.treatments[name][1:]))
    if not scaled:
        return
    yield Remark(
        "periods-scaled",
        f"metric={metric!r} reads a row as one series, but {len(scaled):,} "
        f"{plural(len(scaled), 'period was', 'periods were')} treated each on its own (such as z-scored), which "
        "bends the series: prepare with scale='none' (--scale none).",
        scaled,
    )


def about_precision(leaves: int) -> Iterator[Remark]:
    if precision_for(leaves) is np.float64:
        size = 8 * leaves * (leaves - 1) // 2
        if size >= _LARGE:
            yield Remark(
                "large-matrix",
                f"all distances between {leaves:,} were held at once, {bytes_in_words(size)}. Ward's, centroid and "
                "single linkage need none of that, and condense= (--condense) little.",
            )
        return
    yield Remark(
        "half-precision",
        f"memory is short: the distances between {leaves:,} are held with seven digits instead of sixteen, and "
        "so are the heights.",
    )
