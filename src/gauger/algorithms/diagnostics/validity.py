"""Density-based validity: whether segments of any shape are denser inside than what lies between them."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.neighbours import links_by_rows

Values = NDArray[np.float64]
Codes = NDArray[np.integer]


def density_validity(apart: Values, codes: Codes, features: int) -> float:
    """The mean validity of segments, by size, from all distances (n, n); codes (n,) with 0 for unassigned.

    A segment's validity is (separation - sparseness) / the larger of both, from -1 to 1: its sparseness is the longest
    link inside its spanning tree, its separation the shortest way to another segment, both between inner points
    (with two links or more) and by mutual reachability, with the core distance over all points of the segment. The
    unassigned count as 0, so that leaving points out does not pay; segments of one do too. NaN with fewer than two
    segments, for there is nothing to be separate from. Where links are as short, which are taken depends on the order.
    O(n²).

    Moulavi, Jaskowiak, Campello, Zimek & Sander (2014), Proc. SIAM International Conference on Data Mining, 839-847.
    """
    rows = [own for number in range(1, int(codes.max(initial=0)) + 1) if len(own := np.flatnonzero(codes == number))]
    if len(rows) < 2:
        return np.nan
    cores = [core_distances(apart[np.ix_(own, own)], features) for own in rows]
    inner, sparseness = [], []
    for own, core in zip(rows, cores, strict=True):
        within, longest = _inner(apart[np.ix_(own, own)], core)
        inner.append(within)
        sparseness.append(longest)
    separation = np.full((len(rows), len(rows)), np.inf)
    for one in range(len(rows)):
        for other in range(one + 1, len(rows)):
            a, b = inner[one], inner[other]
            ways = np.maximum(cores[one][a][:, None], cores[other][b])
            ways = np.maximum(ways, apart[np.ix_(rows[one][a], rows[other][b])])
            separation[one, other] = separation[other, one] = ways.min()
    total = 0.0
    for own, longest, ways in zip(rows, sparseness, separation, strict=True):
        larger = max(longest, float(ways.min()))
        if len(own) > 1 and larger > 0.0:
            total += len(own) * (float(ways.min()) - longest) / larger
    return total / len(codes)


def core_distances(apart: Values, features: int) -> Values:
    """Each point's core distance over all others of its segment, from their distances (m, m): the power mean of
    exponent -features; 0 for a point with a copy, or alone."""
    if len(apart) < 2:
        return np.zeros(len(apart))
    others = apart[~np.eye(len(apart), dtype=np.bool_)].reshape(len(apart), -1)
    nearest = others.min(axis=1)
    ratios = np.divide(nearest[:, None], others, out=np.ones_like(others), where=nearest[:, None] > 0.0)
    return np.asarray(nearest * (ratios**features).mean(axis=1) ** (-1.0 / features))


def _inner(apart: Values, core: Values) -> tuple[NDArray[np.intp], float]:
    """The inner points of a segment, all where there are none, and the longest link between two of them."""
    if len(core) < 2:
        return np.arange(len(core)), 0.0
    links, lengths = links_by_rows(len(core), _mutual(apart, core), lambda _: None)
    degree = np.bincount(links.ravel(), minlength=len(core))
    inner = np.flatnonzero(degree > 1)
    between = (degree[links] > 1).all(axis=1)
    longest = float(lengths[between].max()) if between.any() else float(lengths.max())
    return (inner if inner.size else np.arange(len(core))), longest


def _mutual(apart: Values, core: Values) -> Callable[[int], Values]:
    return lambda row: np.asarray(np.maximum(np.maximum(apart[row], core), core[row]))
