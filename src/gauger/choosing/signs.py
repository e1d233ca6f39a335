"""What is measured to see groups: for every count how firm its k-means segments are, beside those of one cloud."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.distance import cdist

from gauger.algorithms import map_jobs
from gauger.algorithms.diagnostics import (
    OneCloud,
    SmoothTable,
    Valleys,
    isolated,
    nth_neighbour_distances,
    shallow_from,
    shallowest_neighbours,
    silhouettes_from_sums,
    smooth_table,
    standardised,
)
from gauger.algorithms.kmeans import SmallFit, distinct_up_to, fits_by_count
from gauger.choosing.group_table import GroupTable

CLOUDS = 8
"""Tables of one cloud that the customers are compared with: judgement."""

_CLOUDS_WITH_VALLEYS = 4
"""So many of them say how deep valleys are where there are none: judgement."""

_LEAST_SPREAD, _LEAST_SPREAD_OF_DEPTHS = 0.004, 0.03
"""A few clouds can agree by chance: their silhouettes and their valleys differ by no less than this; judgement."""

LEAST_SHARE, LEAST_CUSTOMERS = 0.015, 5
"""A group of fewer (a share, and a number of customers) is none: judgement."""

_SUBSET, _SUBSET_OF_CLOUDS = 1_000, 800
"""Customers whose silhouettes weigh counts, and are compared with those of clouds: judgement."""

_STARTS, _STARTS_IN_CLOUDS, _STARTS_OF_THE_LONELY = 10, 3, 6
"""Starts of k-means for each count: judgement; a cloud's silhouettes hardly hang on the best start."""

_LONELY = 20.0
"""A customer weighs at most so many times the typical one, by the space it has: judgement."""

FAINTEST = 0.35
"""No valley shallower than this speaks for anything: tuned on `benchmarks.advice`."""

_DRAWS = 2
"""How often ties are spread anew: judgement."""

Values = NDArray[np.float64]
Codes = NDArray[np.integer]


@dataclass(frozen=True, eq=False)
class Partition:
    """Segments of the customers, `codes` (n,) from 0: their silhouette, shallowest valley and smallest size."""

    count: int
    codes: Codes
    silhouette: float
    shallowest: float
    smallest: int


@dataclass(frozen=True, eq=False)
class InClouds:
    """What clouds of the same shape have at one count, each with its standard deviation.

    The mean `silhouette`; how deep the valley from a segment to the nearest is, `depth`; and the one between the two
    segments least apart, `shallowest`.
    """

    silhouette: tuple[float, float]
    depth: tuple[float, float]
    shallowest: tuple[float, float]


@dataclass(frozen=True, eq=False)
class CountSigns:
    """What speaks for one count.

    `own` are its k-means segments with the `depths` (count, count) between them, `merged` those with the two least
    apart merged again and again, `lonely` the ones with customers weighted by the space they have. `excess` is how many
    standard deviations the silhouette (with ties) is above that of clouds.
    """

    own: Partition
    merged: tuple[Partition, ...]
    lonely: Partition
    depths: Values
    excess: float
    clouds: InClouds

    @property
    def firmness(self) -> float:
        """How many standard errors the segments' valleys to the nearest are deeper than in clouds, on average."""
        depths = self.depths + np.diag(np.full(len(self.depths), np.inf))
        mean, error = self.clouds.depth
        return float((depths.min(axis=1).mean() - mean) / error * np.sqrt(len(depths)))


@dataclass(frozen=True, eq=False)
class Signs:
    """What was measured on customers: by count, with the table that it was measured on.

    `rows` (n,) are the places of the customers that were looked at; `aside` more were isolated.
    """

    table: GroupTable
    smooth: SmoothTable
    by_count: dict[int, CountSigns]
    aside: int
    least: float


def measure_signs(table: GroupTable, highest: int, stream: tuple[int, ...], advance: Callable[[int], None]) -> Signs:
    """The signs of groups at 2 up to the highest count, or as many as the customers that differ allow."""
    rng = np.random.default_rng(stream)
    kept = table.thinned(rng)
    smooth = smooth_table(kept.measures, kept.levels, _DRAWS, rng)
    alone = isolated(smooth.draws[0]) if smooth.smoothers else np.zeros(smooth.size, dtype=np.bool_)
    kept = kept.part(np.flatnonzero(~alone))
    smooth = smooth_table(kept.measures, kept.levels, _DRAWS, rng)
    scaled = kept.scaled()
    columns = np.ascontiguousarray(scaled.T)
    least = max(LEAST_CUSTOMERS, LEAST_SHARE * smooth.size)
    counts = range(2, min(highest, distinct_up_to(columns, highest + 1) - 1) + 1)
    if not counts:
        advance(CLOUDS)
        return Signs(kept, smooth, {}, int(alone.sum()), least)
    fits = fits_by_count(columns, counts, rng, starts=_STARTS)
    lonely = _lonely_fits(columns, counts, rng)
    rows = rng.permutation(smooth.size)
    looked = smooth.draws[0] * _widths(kept, scaled) if smooth.smoothers else scaled
    weighing = _Silhouettes(looked, np.sort(rows[:_SUBSET]))
    comparing = _Silhouettes(scaled, np.sort(rows[:_SUBSET_OF_CLOUDS]))
    clouds = _of_clouds(kept, smooth, counts, least, stream, advance)
    found = {}
    for count in counts:
        valleys = Valleys(smooth, fits[count].codes, count, least)
        steps = list(valleys.merging())
        silhouettes = weighing.means(fits[count].codes, [codes for _, _, codes in steps])
        segments = [
            Partition(left, codes, apart, depth, int(np.bincount(codes).min()))
            for (left, depth, codes), apart in zip(steps, silhouettes, strict=True)
        ]
        other = lonely[count]
        of_lonely = Partition(
            count,
            other.codes,
            weighing.mean(other.codes),
            shallow_from(smooth, other.codes, other.centres, least, FAINTEST),
            int(np.bincount(other.codes, minlength=count).min()),
        )
        mean, error = clouds[count].silhouette
        excess = (comparing.mean(fits[count].codes) - mean) / error
        found[count] = CountSigns(segments[0], tuple(segments[1:]), of_lonely, valleys.depths, excess, clouds[count])
    return Signs(kept, smooth, found, int(alone.sum()), least)


class _Silhouettes:
    """Mean silhouettes of some rows of points."""

    def __init__(self, points: Values, rows: NDArray[np.intp]) -> None:
        self._rows = rows
        self._distances = cdist(points[rows], points[rows])

    def mean(self, codes: Codes) -> float:
        """That of segments of all points (n,)."""
        return self.means(codes, [codes])[0]

    def means(self, codes: Codes, joined: Sequence[Codes]) -> list[float]:
        """Those of segments of all points (n,) that are these segments joined."""
        own = codes[self._rows]
        count = int(codes.max()) + 1
        sums = self._distances @ np.equal.outer(own, np.arange(count)).astype(np.float64)
        found = []
        for others in joined:
            home = np.zeros((count, int(others.max()) + 1))
            home[codes, others] = 1.0
            now = others[self._rows]
            sizes = np.bincount(now, minlength=home.shape[1])
            found.append(float(silhouettes_from_sums(sums @ home, now, sizes).mean()))
        return found


def _of_clouds(
    table: GroupTable,
    smooth: SmoothTable,
    counts: Sequence[int],
    least: float,
    stream: tuple[int, ...],
    advance: Callable[[int], None],
) -> dict[int, InClouds]:
    """What clouds have, by count."""
    rng = np.random.default_rng((*stream, 3))
    clouds = OneCloud(smooth, rng)
    scaled = table.scaled()
    widths, positions = _widths(table, scaled), table.level_positions()
    rows = np.sort(rng.permutation(smooth.size)[:_SUBSET_OF_CLOUDS])

    def of_cloud(job: tuple[int, np.random.SeedSequence]) -> tuple[list[float], list[list[float]]]:
        index, own_stream = job
        own = np.random.default_rng(own_stream)
        loose, tied, levels = clouds.draw(own)
        drawn = np.column_stack(
            [standardised(tied) * widths, *(at[levels[:, place]] for place, at in enumerate(positions))]
        )
        found = fits_by_count(np.ascontiguousarray(drawn.T), counts, own, starts=_STARTS_IN_CLOUDS)
        of_drawn = _Silhouettes(drawn, rows)
        silhouettes = [of_drawn.mean(found[count].codes) for count in counts]
        if index >= _CLOUDS_WITH_VALLEYS:
            return silhouettes, []
        own_table = SmoothTable((standardised(loose),), levels, own.random((len(loose), 1)), smooth.smoothers)
        return silhouettes, [
            shallowest_neighbours(own_table, found[count].codes, found[count].centres, least) for count in counts
        ]

    silhouettes, depths = [], []
    for own, own_depths in map_jobs(of_cloud, list(enumerate(np.random.SeedSequence(stream).spawn(CLOUDS)))):
        silhouettes.append(own)
        if own_depths:
            depths.append(own_depths)
        advance(1)
    found = {}
    for index, count in enumerate(counts):
        each = [one[index] or [0.0] for one in depths]
        found[count] = InClouds(
            _mean_and_spread([one[index] for one in silhouettes], _LEAST_SPREAD),
            _mean_and_spread([depth for one in each for depth in one], _LEAST_SPREAD_OF_DEPTHS),
            _mean_and_spread([min(one) for one in each], _LEAST_SPREAD_OF_DEPTHS),
        )
    return found


def _widths(table: GroupTable, scaled: Values) -> Values:
    """The standard deviations (m,) of the measures on the scaled table."""
    return np.asarray(scaled.std(axis=0)[: len(table.places)])


def _mean_and_spread(values: list[float], least: float) -> tuple[float, float]:
    return float(np.mean(values)), max(float(np.std(values, ddof=1)), least)


def _lonely_fits(columns: Values, counts: Sequence[int], rng: np.random.Generator) -> dict[int, SmallFit]:
    """k-means with customers weighted by the space they have, so that a small group counts like a large one."""
    space = nth_neighbour_distances(columns.T, 10)
    middle = float(np.median(space)) or 1.0
    weights = np.clip((space / middle) ** (len(columns) / 2.0), 1.0 / _LONELY, _LONELY)
    return fits_by_count(columns, counts, rng, starts=_STARTS_OF_THE_LONELY, weights=weights)
