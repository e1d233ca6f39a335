"""What k-means has to say about its own result: iterations that ran out, tiny segments, far customers, samples."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from gauger.clustering.cautions import keys_shown, tiny_segments
from gauger.remarks import Remark
from gauger.segmentation import Segmentation
from gauger.wording import plural

_FAR_WIDTHS = 6.0
"""Quartile widths beyond the median from which a customer is far from every centre: judgement."""

Values = NDArray[np.float64]


def about_kmeans(seg: Segmentation, learners: int, max_iterations: int, other: Values | None) -> tuple[Remark, ...]:
    """Remarks on a result of k-means; `other` are the centres (k, d) that another sample of `learners` gave."""
    found = [*_unsettled(seg, max_iterations), *tiny_segments(seg), *_far(seg)]
    if other is not None:
        found.append(_sampled(seg, learners, other))
    return tuple(found)


def moved_since(seeding: Segmentation, before: NDArray[np.int32], after: NDArray[np.int32]) -> Remark:
    """How many customers left the segments that k-means was seeded with; `before` and `after` (n,) count from 0."""
    moved, everyone = int(np.count_nonzero(before != after)), len(after)
    left = "the segments are as they were" if not moved else "the others stayed with the centre they began with"
    return Remark(
        "moved-since-seeding",
        f"k-means moved {moved:,} of {everyone:,} {plural(everyone, 'customer')} ({moved / everyone:.1%}) from the "
        f"{seeding.count} segments by {seeding.method} that it was seeded with; {left}.",
    )


def _unsettled(seg: Segmentation, max_iterations: int) -> Iterator[Remark]:
    if not seg.converged and seg.history is not None:
        moved = int(seg.history["moved"].iloc[-1])
        yield Remark(
            "not-converged",
            f"stopped after {max_iterations} {plural(max_iterations, 'iteration')} with {moved:,} "
            f"{plural(moved, 'customer')} still moving: the segments are not final. Raise max_iterations "
            "(--max-iterations).",
        )


def _far(seg: Segmentation) -> Iterator[Remark]:
    far = np.zeros(len(seg.codes), dtype=np.bool_)
    for number in seg.numbers:
        own = seg.codes == number
        low, middle, high = np.quantile(seg.distances[own], (0.25, 0.5, 0.75))
        far |= own & (seg.distances > middle + _FAR_WIDTHS * (high - low)) & (high > low)
    rows = np.flatnonzero(far)
    if rows.size:
        farthest = rows[np.argsort(-seg.distances[rows], kind="stable")]
        homes = tuple(int(number) for number in np.unique(seg.codes[rows]))
        keys = keys_shown(seg, farthest)
        yield Remark(
            "far-customers",
            f"{rows.size:,} {plural(rows.size, 'customer lies', 'customers lie')} ({keys}) "
            f"far from every centre: {seg.distances[farthest[0]]:.3g} on the working scale at most, where half of all "
            f"lie within {np.median(seg.distances):.2g}. They pull at their segments' centres: look at them, cap "
            "(cap=, --cap), or scale by rank or quartiles (scale=, --scale).",
            segments=homes,
            who=(keys,),
        )


def _sampled(seg: Segmentation, learners: int, other: Values) -> Remark:
    ways = np.sqrt(((other - seg.scaled_centres) ** 2).sum(axis=1))
    farthest = int(ways.argmax())
    typical = float(np.sqrt((seg.distances**2).mean()))
    share = f" ({ways[farthest] / typical:.1%} of the typical distance to a centre)" if typical else ""
    return Remark(
        "learned-on-sample",
        f"the centres were learned on {learners:,} of {len(seg.codes):,} customers, and everyone was assigned. On "
        f"another sample of that size the centre of segment {farthest + 1} would be {ways[farthest]:.3g} away on the "
        f"working scale{share}{', the others less' if seg.count > 1 else ''}.",
    )
