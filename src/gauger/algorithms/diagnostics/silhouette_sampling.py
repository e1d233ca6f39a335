"""Silhouettes of a sample: the mean of everyone with its standard error.

In a sample both ends are drawn: the points that are measured, and those that they are measured against. One point moves
the mean by its own silhouette, and by how far it moves the mean distances of the points around it (the influence
function of Hampel 1974, J. American Statist. Assoc. 69, 383-393); the variance of the two together is that of the mean.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.diagnostics.silhouettes import distance_sums, silhouettes_from_sums
from gauger.algorithms.parallel import map_blocks

Rows = NDArray[np.intp]
Values = NDArray[np.float64]
Codes = NDArray[np.integer]

EXACT_UP_TO = 20_000
"""Points up to which everyone is measured, O(n²): chosen by us."""

SAMPLE = 10_000
"""Points measured beyond that: chosen by us; the standard error is reported."""

_LEAST_OF_SEGMENT = 50
"""Points of each segment in a sample: fewer would say little of it; chosen by us."""

_BLOCK_ROWS = 32
"""Points a block whose distances are held at once; decides nothing else."""

_LOOKED_AT = 1_000
"""Points whose influence is worked out, at least 50 of each segment: they fix the error to about 4 % of itself."""


def sample_by_segment(codes: Codes, exact_up_to: int, seed: int, *, size: int = SAMPLE) -> Rows:
    """All assigned rows; of more than `exact_up_to`, a seeded sample of `size` in order, in proportion by segment."""
    rows = np.flatnonzero(codes > 0)
    if len(rows) <= exact_up_to:
        return rows
    rng = np.random.default_rng(np.random.SeedSequence(seed))
    size = min(size, len(rows))
    chosen = []
    for number in np.unique(codes[rows]):
        members = np.flatnonzero(codes == number)
        share = max(_LEAST_OF_SEGMENT, round(size * len(members) / len(rows)))
        chosen.append(rng.choice(members, size=min(share, len(members)), replace=False))
    return np.sort(np.concatenate(chosen))


def sampled_silhouettes(columns: Values, codes: Codes, sizes: Codes) -> tuple[Values, float, float]:
    """Silhouettes (n,) of sampled points, as columns (d, n), and the mean of everyone with its standard error.

    `codes` (n,) are from 1, of each segment at least one; `sizes` (k,) are the segments' sizes among everyone.
    """
    own = codes - 1
    sums = distance_sums(columns, own)

    def weighted(looked: Rows, weights: Values) -> Values:
        def of_block(block: slice) -> Values:
            rows = looked[block]
            return np.asarray(np.einsum("rn,rn->r", _distances(columns[:, rows], columns), weights.T[own[rows]]))

        return np.concatenate(list(map_blocks(of_block, len(looked), _BLOCK_ROWS)))

    return silhouettes_in_sample(sums, own, sizes, weighted)


def silhouettes_in_sample(
    sums: Values, own: Codes, sizes: Codes, weighted: Callable[[Rows, Values], Values]
) -> tuple[Values, float, float]:
    """As `sampled_silhouettes`, from summed distances (n, k) to segments, of which `own` (n,) is the own, from 0.

    `weighted` gives, for some of the points and weights (n, k), each one's distances to all points, summed with the
    weights for its own segment.
    """
    drawn = np.bincount(own, minlength=len(sizes))
    values = silhouettes_from_sums(sums, own, drawn)
    shares = sizes / sizes.sum()
    means = np.bincount(own, weights=values, minlength=len(sizes)) / np.maximum(drawn, 1)
    mean = float(shares @ means)
    if (drawn >= sizes).all():
        return values, mean, 0.0
    looked = _looked_at(own, drawn)
    slopes = _slopes(sums, own, drawn) * (shares / np.maximum(drawn, 1))[own][:, None]
    typical = np.einsum("nk,nk->k", slopes, sums / np.maximum(drawn, 1))
    moved = shares[own[looked]] * (values[looked] - means[own[looked]])
    moved += weighted(looked, slopes) - typical[own[looked]]
    return values, mean, _standard_error(moved, own[looked], drawn, sizes)


def _slopes(sums: Values, own: Codes, drawn: Codes) -> Values:
    """How each point's silhouette changes with its mean distance to each segment (n, k): 0 but for own and nearest."""
    every = np.arange(len(own))
    within = sums[every, own] / np.maximum(drawn[own] - 1, 1)
    means = sums / np.maximum(drawn, 1)
    means[every, own] = np.inf
    nearest = means.argmin(axis=1)
    between = means[every, nearest]
    larger = np.maximum(within, between)
    counted = (larger > 0.0) & (drawn[own] > 1) & np.isfinite(between)
    unit = np.divide(1.0, larger, out=np.zeros(len(own)), where=counted)
    inside = within < between
    slopes = np.zeros(sums.shape)
    slopes[every, own] = -unit * np.where(inside, 1.0, between * unit)
    slopes[every, nearest] = unit * np.where(inside, within * unit, 1.0)
    return slopes


def _looked_at(own: Codes, drawn: Codes) -> Rows:
    """The first points of each segment, in proportion: the order of points is random."""
    most = np.maximum(_LEAST_OF_SEGMENT, np.ceil(_LOOKED_AT * drawn / len(own)))
    order = np.argsort(own, kind="stable")
    place = np.arange(len(own)) - np.repeat(np.cumsum(drawn) - drawn, drawn)
    return np.sort(order[place < most[own[order]]])


def _standard_error(moved: Values, own: Codes, drawn: Codes, sizes: Codes) -> float:
    """Of a sum over segments of means of `drawn` (k,) of `sizes` (k,), from what points (r,) move it by."""
    looked = np.bincount(own, minlength=len(sizes))
    centre = np.bincount(own, weights=moved, minlength=len(sizes)) / np.maximum(looked, 1)
    squares = np.bincount(own, weights=(moved - centre[own]) ** 2, minlength=len(sizes)) / np.maximum(looked - 1, 1)
    return float(np.sqrt((squares / np.maximum(drawn, 1) * (1.0 - drawn / sizes)).sum()))


def _distances(some: Values, columns: Values) -> Values:
    """Euclidean distances (r, n) of points as columns (d, r) and (d, n)."""
    squares = np.zeros((some.shape[1], columns.shape[1]))
    for one, other in zip(some, columns, strict=True):
        squares += (one[:, None] - other) ** 2
    return np.asarray(np.sqrt(squares))
