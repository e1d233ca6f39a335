"""Measuring the signs of groups: k-means on the customers as they are, valleys where ties are smoothed out, clouds."""

from collections.abc import Callable, Sequence
from functools import cached_property

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
from gauger.choosing.signs import LEAST_CUSTOMERS, LEAST_SHARE, CountSigns, InClouds, Partition, Signs

CLOUDS = 8
"""Tables of one cloud that the customers are compared with: judgement."""

_CLOUDS_WITH_VALLEYS = 4
"""So many of them say how deep valleys are where there are none: judgement."""

_LEAST_SPREAD, _LEAST_SPREAD_OF_DEPTHS = 0.004, 0.03
"""A few clouds can agree by chance: their silhouettes and their valleys differ by no less than this; judgement."""

_SUBSET, _SUBSET_OF_CLOUDS = 1_000, 800
"""Customers whose silhouettes weigh counts, and are compared with those of clouds: judgement."""

_STARTS, _STARTS_IN_CLOUDS, _STARTS_OF_THE_LONELY = 10, 3, 6
"""Starts of k-means for each count: judgement; a cloud's silhouettes hardly hang on the best start."""

_LONELY = 20.0
"""A customer weighs at most so many times the typical one, by the space it has: judgement."""

FAINTEST = 0.35
"""No valley shallower than this speaks for anything: tuned on `benchmarks.advice`, on other seeds than it reports."""

_DRAWS = 2
"""How often ties are spread anew: judgement."""

Values = NDArray[np.float64]
Codes = NDArray[np.integer]


class Survey:
    """Customers made ready to look for groups in, with a stream of random numbers: counts are measured when asked for.

    Rows that repeat a customer count once, copies are thinned, isolated customers are set aside, ties are smoothed out.
    """

    def __init__(self, table: GroupTable, stream: tuple[int, ...]) -> None:
        self._stream = stream
        rng = np.random.default_rng(stream)
        kept = table.once_each().thinned(rng)
        smooth = smooth_table(kept.measures, kept.levels, 1, rng)
        alone = isolated(smooth.draws[0]) if smooth.smoothers else np.zeros(smooth.size, dtype=np.bool_)
        kept = kept.part(np.flatnonzero(~alone))
        smooth = smooth_table(kept.measures, kept.levels, _DRAWS, rng)
        least = max(LEAST_CUSTOMERS, LEAST_SHARE * smooth.size)
        self.nothing = Signs(kept, smooth, {}, int(alone.sum()), least)
        """The signs before any count was measured."""
        self._points = kept.scaled()
        self._columns = np.ascontiguousarray(self._points.T)
        self._widths = self._points.std(axis=0)[: len(smooth.smoothers)]
        rows = rng.permutation(smooth.size)
        looked = smooth.draws[0] * self._widths if smooth.smoothers else self._points
        self._weighing = _Silhouettes(looked, np.sort(rows[:_SUBSET]))
        self._comparing = _Silhouettes(self._points, np.sort(rows[:_SUBSET_OF_CLOUDS]))

    @cached_property
    def _clouds(self) -> "_Clouds":
        found = self.nothing
        return _Clouds(found.table, found.smooth, self._widths, found.least, (*self._stream, 3))

    def measure(self, lowest: int, highest: int, advance: Callable[[int], None]) -> dict[int, CountSigns]:
        """The signs of these counts, as far as enough customers differ."""
        most = distinct_up_to(self._columns, highest + 1) - 1
        counts = range(lowest, min(highest, most) + 1)
        if not counts:
            advance(CLOUDS)
            return {}
        rng = np.random.default_rng((*self._stream, 4, lowest))
        fits = fits_by_count(self._columns, counts, rng, starts=_STARTS)
        lonely = self._lonely_fits(counts, rng)
        clouds = self._clouds.measure(counts, advance)
        return {count: self._signs(count, fits[count], lonely[count], clouds[count]) for count in counts}

    def _signs(self, count: int, fit: SmallFit, lonely: SmallFit, clouds: InClouds) -> CountSigns:
        smooth, least = self.nothing.smooth, self.nothing.least
        valleys = Valleys(smooth, fit.codes, count, least)
        steps = list(valleys.merging())
        silhouettes = self._weighing.means(fit.codes, [codes for _, _, codes in steps])
        own, *merged = (
            Partition(left, codes, apart, depth, int(np.bincount(codes).min()))
            for (left, depth, codes), apart in zip(steps, silhouettes, strict=True)
        )
        of_lonely = Partition(
            count,
            lonely.codes,
            self._weighing.mean(lonely.codes),
            shallow_from(smooth, lonely.codes, lonely.centres, least, FAINTEST),
            int(np.bincount(lonely.codes, minlength=count).min()),
        )
        mean, error = clouds.silhouette
        excess = (self._comparing.mean(fit.codes) - mean) / error
        return CountSigns(own, tuple(merged), of_lonely, valleys.depths, excess, clouds)

    def _lonely_fits(self, counts: Sequence[int], rng: np.random.Generator) -> dict[int, SmallFit]:
        """k-means with customers weighted by the space they have, so that a small group counts like a large one."""
        space = nth_neighbour_distances(self._points, 10)
        middle = float(np.median(space)) or 1.0
        weights = np.clip((space / middle) ** (len(self._columns) / 2.0), 1.0 / _LONELY, _LONELY)
        return fits_by_count(self._columns, counts, rng, starts=_STARTS_OF_THE_LONELY, weights=weights)


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


class _Clouds:
    """Tables of one cloud, the same for every count."""

    def __init__(
        self, table: GroupTable, smooth: SmoothTable, widths: Values, least: float, stream: tuple[int, ...]
    ) -> None:
        rng = np.random.default_rng(stream)
        self._smoothers, self._widths, self._least = smooth.smoothers, widths, least
        self._positions = table.level_positions()
        self._cloud = OneCloud(smooth, rng)
        self._rows = np.sort(rng.permutation(smooth.size)[:_SUBSET_OF_CLOUDS])
        self._streams = list(enumerate(np.random.SeedSequence(stream).spawn(CLOUDS)))

    def measure(self, counts: Sequence[int], advance: Callable[[int], None]) -> dict[int, InClouds]:
        """What they have at each of the counts."""
        silhouettes, depths = [], []
        for apart, deep in map_jobs(lambda job: self._one(*job, counts), self._streams):
            silhouettes.append(apart)
            if deep:
                depths.append(deep)
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

    def _one(
        self, index: int, stream: np.random.SeedSequence, counts: Sequence[int]
    ) -> tuple[list[float], list[list[float]]]:
        """The silhouettes of one cloud by count, and of the first few clouds the valleys beside each segment."""
        rng = np.random.default_rng(stream)
        loose, tied, levels = self._cloud.draw(rng)
        indicators = (at[levels[:, place]] for place, at in enumerate(self._positions))
        points = np.column_stack([standardised(tied) * self._widths, *indicators])
        ties = rng.random((len(loose), 1))
        found = fits_by_count(np.ascontiguousarray(points.T), counts, rng, starts=_STARTS_IN_CLOUDS)
        apart = _Silhouettes(points, self._rows)
        silhouettes = [apart.mean(found[count].codes) for count in counts]
        if index >= _CLOUDS_WITH_VALLEYS:
            return silhouettes, []
        smooth = SmoothTable((standardised(loose),), levels, ties, self._smoothers)
        own = (found[count] for count in counts)
        return silhouettes, [shallowest_neighbours(smooth, fit.codes, fit.centres, self._least) for fit in own]


def _mean_and_spread(values: list[float], least: float) -> tuple[float, float]:
    spread = float(np.std(values, ddof=1)) if len(values) > 1 else 0.0
    return float(np.mean(values)), max(spread, least)
