"""Dense spots inside a wide cloud: they never come apart from it, but its densities then have two peaks."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from gauger.algorithms.density.hierarchy import Hierarchy
from gauger.algorithms.merge_trees import Merges
from gauger.algorithms.statistics import scaled_dip

_TWO_PEAKS = 0.6
"""As `_TWO_PEAKS_OF_ONE_FEATURE`, for two features and more."""
_TWO_PEAKS_OF_ONE_FEATURE = 0.9
"""A scaled dip of the logarithms of distances from which these have two peaks: about one in a hundred clouds of one
peak reach it, which `python -m benchmarks.levels` counts among its splits; over one feature distances are noisier."""
_FEW = 50
"""Of fewer points no two peaks can be told from one: judgement."""
_GRID = 256
"""Points of the density's curve: fine enough for any bandwidth it has; judgement."""

_BANDWIDTH = 1.06 / 2.0
"""Half the usual bandwidth, times the spread and n**(-1/5): Silverman (1986), Density Estimation, 3.4, whose factor
is for one peak and would close the valley between two."""

Values = NDArray[np.float64]


def with_spots(found: Hierarchy, merges: Merges, reach: Values, features: int, smallest: int) -> Hierarchy:
    """The hierarchy with a branch more for each dense spot of at least `smallest` points inside one that never
    splits.

    `merges` are the merges that the hierarchy is made of, `reach` (n,) is how far each point looks for its
    neighbours.
    """
    limit = _TWO_PEAKS if features > 1 else _TWO_PEAKS_OF_ONE_FEATURE
    parent, born, held, branch = list(found.parent), list(found.born), list(found.held), found.branch.copy()
    for number, below in enumerate(found.children()):
        own = np.flatnonzero(found.branch == number)
        if below or len(own) < max(2 * smallest, _FEW):
            continue
        near = reach[own]
        logs = np.log(np.sort(near[near > 0.0]))
        if len(logs) < 2 * smallest or scaled_dip(logs) < limit:
            continue
        level = float(np.exp(_valley(logs)))
        for rows in _parts_within(merges, own, level, smallest):
            if len(rows) <= len(own) - smallest:
                branch[rows] = len(parent)
                parent.append(number)
                born.append(level)
                held.append(len(rows))
    inside = np.arange(len(parent)) >= len(found.parent)
    return replace(
        found, parent=np.array(parent), born=np.array(born), held=np.array(held), branch=branch, inside=inside
    )


def _valley(ordered: Values) -> float:
    """The least dense place between the two highest peaks of values in order."""
    spread = min(float(ordered.std()), float(np.subtract(*np.quantile(ordered, (0.75, 0.25)))) / 1.349)
    width = _BANDWIDTH * (spread or float(ordered.std())) * len(ordered) ** -0.2
    grid = np.linspace(ordered[0], ordered[-1], _GRID)
    counts, _ = np.histogram(ordered, np.append(grid, 2.0 * grid[-1] - grid[-2]))
    step = grid[1] - grid[0]
    kernel = np.exp(-0.5 * (np.arange(-_GRID, _GRID + 1) * step / width) ** 2)
    density = np.convolve(counts, kernel)[_GRID : 2 * _GRID]
    rising = np.diff(density, prepend=-1.0) > 0.0
    peaks = np.flatnonzero(rising & (np.diff(density, append=-1.0) <= 0.0))
    if len(peaks) < 2:
        return float(np.median(ordered))
    first, second = np.sort(peaks[np.argsort(density[peaks], kind="stable")[-2:]])
    return float(grid[first + int(np.argmin(density[first : second + 1]))])


def _parts_within(merges: Merges, own: NDArray[np.intp], level: float, smallest: int) -> list[NDArray[np.intp]]:
    """The points of each part that holds together within a distance and has enough of some points."""
    n = merges.leaves
    steps = np.flatnonzero(merges.height <= level)
    nodes = np.concatenate([merges.left[steps], merges.right[steps]])
    links = coo_array((np.ones(len(nodes), dtype=np.int8), (nodes, np.tile(n + steps, 2))), shape=(2 * n - 1,) * 2)
    labels = connected_components(links, directed=False)[1][own]
    sizes = np.bincount(labels)
    return [own[labels == label] for label in np.flatnonzero(sizes >= smallest)]
