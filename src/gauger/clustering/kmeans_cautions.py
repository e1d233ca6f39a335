"""What k-means has to say about its own result: iterations that ran out, tiny segments, far customers, samples."""

import math
from collections.abc import Iterator

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.clustering.segment_cautions import tiny_segments
from gauger.remarks import Remark
from gauger.segmentation import Segmentation
from gauger.wording import listed, plural

_FAR_WIDTHS = 6.0
"""Quartile widths beyond the median from which a customer is far from every centre: judgement."""

Values = NDArray[np.float64]


def about_kmeans(seg: Segmentation, learners: int, max_iterations: int, other: Values | None) -> tuple[Remark, ...]:
    """Remarks on a result of k-means; `other` are the centres (k, d) that another sample of `learners` gave."""
    found = [
        *about_iterations(seg.history, max_iterations, converged=bool(seg.converged)),
        *tiny_segments(seg.sizes, len(seg.codes)),
        *far_customers(seg),
    ]
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


def about_iterations(history: pd.DataFrame | None, max_iterations: int, *, converged: bool) -> Iterator[Remark]:
    """A remark on iterations that ran out; where nobody counted who moved, it says how far centres still went."""
    if converged or history is None:
        return
    if "moved" in history:
        moved = int(history["moved"].iloc[-1])
        still = f"with {moved:,} {plural(moved, 'customer')} still moving"
    else:
        still = f"when a centre still went {history['shift'].iloc[-1]:.2g} on the working scale"
    yield Remark(
        "not-converged",
        f"stopped after {max_iterations} {plural(max_iterations, 'iteration')} {still}: the segments are not final. "
        "Raise max_iterations (--max-iterations).",
    )


def far_customers(seg: Segmentation) -> Iterator[Remark]:
    """A remark on customers who lie far from every centre, if there are any."""
    found: dict[int, tuple[int, str]] = {}
    for number in seg.numbers:
        own = seg.distances[seg.codes == number]
        low, middle, high = np.quantile(own, (0.25, 0.5, 0.75))
        limit = middle + _FAR_WIDTHS * (high - low)
        far = own[own > limit]
        if far.size and high > low:
            found[number] = far.size, _between(float(limit), float(far.min()))
    if found:
        everyone = sum(count for count, _ in found.values())
        most = max(found, key=lambda number: found[number][0])
        others = [f"{found[number][0]:,} in segment {number} beyond {found[number][1]}" for number in found]
        where = f" ({listed(others, most=6)})" if len(found) > 1 else ""
        yield Remark(
            "far-customers",
            f"{everyone:,} {plural(everyone, 'customer lies', 'customers lie')} far from every centre: "
            f"{seg.distances.max():.3g} on the working scale at most, where half of all lie within "
            f"{np.median(seg.distances):.2g}. They pull at their segments' centres: look at them, cap (cap=, --cap), "
            f"or scale by rank or quartiles (scale=, --scale). To list them: gauger profile STUDY --members {most} "
            f"--where 'distance > {found[most][1]}'{where}.",
            segments=tuple(found),
        )


def _between(limit: float, least: float) -> str:
    """The shortest number from a limit up to below the least distance beyond it."""
    for digits in range(2, 17):
        step = 10.0 ** (math.floor(math.log10(least)) - digits + 1)
        rounded = math.ceil(limit / step) * step
        if limit <= float(f"{rounded:.{digits}g}") < least:
            return f"{rounded:.{digits}g}"
    return repr(limit)


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
