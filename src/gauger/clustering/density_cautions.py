"""What density has to say about its own result: outsiders, one segment for all, little contrast, copies."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms import RowOrder
from gauger.algorithms.neighbours import Neighbours
from gauger.clustering.segment_cautions import TINY_SHARE
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, Segmentation
from gauger.wording import plural, short_number

MANY_OUTSIDE, NEARLY_ALL = 0.4, 0.9
"""Shares worth a remark, of the unassigned and of the largest segment: judgement."""

_FEW_FEATURES = 8
"""Beyond so many features distances lose their contrast (Beyer et al. 1999, ICDT, 217-235, see it from 10 to 15)."""

_LITTLE_CONTRAST = 2.0
"""A typical distance below so many times that of neighbours leaves density little to see: judgement."""

_MANY_COPIES = 0.05
"""A share of customers who are core by copies alone that is worth a remark: judgement."""

_SMALL_NAMED = 20
"""Small segments that a remark carries the numbers of."""

_SAMPLE, _BLOCKS = 200, 20
"""Customers whose contrast is measured, and the blocks they are taken in."""

_HALF, _NEARLY_ALL = 0.5, 0.99
"""Between which quantiles of the neighbour distances a radius is worth trying."""

Values = NDArray[np.float64]


def about_radius(seg: Segmentation, near: Neighbours, radius: float, min_points: int) -> Iterator[Remark]:
    """Remarks where a radius puts hardly anyone or nearly everyone into one segment, with the radii worth trying."""
    largest, outside = _shares(seg)
    if seg.count and largest <= NEARLY_ALL and outside <= MANY_OUTSIDE:
        return
    low, high = usual_range(near.nth_distances(min_points))
    way_out = (
        f"On the working scale half of the customers have {min_points} within {short_number(low)}, nearly all within "
        f"{short_number(high)}: look between these (study_radius, gauger radius)."
        if high > 0.0
        else "The customers are all equal: no radius tells them apart."
    )
    if not seg.count:
        yield Remark(
            "nobody-dense",
            f"no customer has {min_points} within {short_number(radius)}, so that all are unassigned. {way_out}",
        )
    elif outside > MANY_OUTSIDE:
        yield Remark("many-unassigned", f"{_outsiders(seg)} {way_out}")
    if largest > NEARLY_ALL:
        yield _one_large(largest, way_out)


def about_small(seg: Segmentation) -> Iterator[Remark]:
    """A remark where a radius leaves segments of under one customer in a hundred, which a denser spot or two can be."""
    small = seg.sizes.index[seg.sizes < TINY_SHARE * len(seg.codes)]
    if len(small):
        many, least = len(small), int(seg.sizes.min())
        yield Remark(
            "small-dense-segments",
            f"{many:,} of {seg.count:,} {plural(seg.count, 'segment')} {plural(many, 'has', 'have')} under "
            f"{TINY_SHARE:.0%} of the customers, {least} at the least: spots that are a little denser make such by "
            "chance. A larger radius or more min points join or dissolve them; density levels take the smallest "
            "segment worth a campaign instead (segment_by_density_levels, --method density-levels --smallest).",
            segments=tuple(int(number) for number in small[:_SMALL_NAMED]),
        )


def about_levels(seg: Segmentation, smallest: int) -> Iterator[Remark]:
    """Remarks where density levels find no groups, hardly anyone in them, or nearly everyone in one."""
    largest, outside = _shares(seg)
    if seg.count == 1 and not outside:
        yield Remark(
            "no-dense-groups",
            f"as the radius shrinks the customers never come apart into two parts of at least {smallest:,} that are "
            "denser than chance would make them, nor is a spot inside them much denser than the rest: by density they "
            "are one segment. A small group whose edge another's reaches stays hidden here; k-means may show it.",
        )
    elif largest > NEARLY_ALL:
        yield _one_large(largest, "What it leaves apart may still be worth a look.")
    if outside > MANY_OUTSIDE:
        yield Remark(
            "many-unassigned",
            f"{_outsiders(seg)} A smaller smallest= (--smallest) keeps more groups; "
            "k-means would give everyone a segment.",
        )


def about_density(features: int, everyone: RowOrder, near: Neighbours, min_points: int) -> Iterator[Remark]:
    """Remarks on customers who are dense by copies, and on distances that lost their contrast over many features."""
    copies = np.diff(np.append(everyone.distinct(), everyone.size))
    by_copies = int(copies[copies >= min_points].sum())
    if by_copies > _MANY_COPIES * everyone.size:
        spots = int((copies >= min_points).sum())
        yield Remark(
            "dense-by-copies",
            f"{by_copies:,} customers ({by_copies / everyone.size:.0%}) stand on {spots:,} "
            f"{plural(spots, 'spot')} with at least {min_points} equal customers each: they are dense at any radius. "
            "Features of few values make copies; raise min points (min_points=, --min-points) or add a finer feature.",
        )
    yield from about_contrast(features, everyone.size, near, min_points)


def about_contrast(features: int, customers: int, near: Neighbours, min_points: int) -> Iterator[Remark]:
    """A remark on distances that lost their contrast over many features."""
    if features > _FEW_FEATURES:
        contrast = relative_contrast(near, customers, min_points)
        verdict = (
            "near and far hardly differ, and density has little to go by: take fewer features"
            if contrast < _LITTLE_CONTRAST
            else "near and far still differ, but look at fewer features too"
        )
        yield Remark(
            "many-features",
            f"over {features} features distances lose contrast: any customer is on average {contrast:.1f} times as far "
            f"as the one that is {min_points - 1} steps away in order of nearness; {verdict}.",
        )


def usual_range(distances: Values) -> tuple[float, float]:
    """Between which radii most customers become core: quantiles of their neighbour distances, copies left aside."""
    positive = distances[distances > 0.0]
    if not positive.size:
        return 0.0, 0.0
    low, high = np.quantile(positive, (_HALF, _NEARLY_ALL))
    return float(low), float(high)


def relative_contrast(near: Neighbours, customers: int, min_points: int) -> float:
    """The mean distance to everyone over the mean distance to the min_points-th nearest, of up to 200 customers.

    After He, Kumar & Chang (2012), Proc. 29th International Conference on Machine Learning.
    """
    everyone = np.arange(customers)
    to_all, to_nearest = 0.0, 0.0
    for rows in np.array_split(everyone[:_SAMPLE], _BLOCKS):
        apart = near.between(rows, everyone)
        to_all += float(apart.sum()) / (customers - 1)
        to_nearest += float(np.partition(apart, min_points - 1, axis=1)[:, min_points - 1].sum())
    return to_all / to_nearest if to_nearest else np.inf


def _one_large(largest: float, way_out: str) -> Remark:
    return Remark("one-large-segment", f"one segment holds {largest:.0%} of the customers. {way_out}", segments=(1,))


def _outsiders(seg: Segmentation) -> str:
    outside, everyone = int(np.count_nonzero(seg.codes == UNASSIGNED)), len(seg.codes)
    return f"{outside:,} of {everyone:,} customers ({outside / everyone:.0%}) are unassigned."


def _shares(seg: Segmentation) -> tuple[float, float]:
    """The largest segment's share of all customers, and that of the unassigned."""
    everyone = len(seg.codes)
    return float(seg.sizes.max() / everyone) if seg.count else 0.0, float((seg.codes == UNASSIGNED).mean())
