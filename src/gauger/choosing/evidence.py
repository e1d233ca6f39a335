"""Evidence on groups: what the customers' own shape says, whatever count is asked for.

Each criterion alone is wrong for some shapes: a silhouette always has a highest count, even in one cloud; valleys do
not show between groups that overlap. Together they are right far more often (benchmarks/advice.py).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.distance import cdist

from gauger.algorithms import map_jobs
from gauger.algorithms.diagnostics import (
    OneCloud,
    SmoothTable,
    Valleys,
    isolated,
    shallowest_neighbours,
    nth_neighbour_distances,
    silhouettes_from_sums,
    smooth_table,
    standardised,
)
from gauger.algorithms.kmeans import SmallFit, distinct_up_to, fits_by_count
from gauger.algorithms.statistics import scaled_dip

MOST_CUSTOMERS = 4_000
"""Customers that groups are looked for in: enough for a group of 2 % to have a peak of its own."""

CLOUDS = 8
"""Tables of one cloud that the customers are compared with: judgement."""

_CLOUDS_WITH_VALLEYS = 4
"""So many of them say how deep valleys are where there are none: judgement."""

DEEP = 0.60
"""A scaled dip that evenly spread customers reach once in fifty times, a normal cloud never: a valley by itself."""
DEEP_MERGED = 0.90
"""The same between segments that were merged for it, which are chosen from many: tuned as `_LINKED`."""
FAINT = 0.38
"""A scaled dip that speaks for a count when its silhouette does too."""
SURE, LIKELY = 5.0, 3.0
"""Standard deviations of the silhouette above that of one cloud."""

_LINKED = 0.46
"""Segments with a valley shallower than this between them are one group: tuned on
`benchmarks.advice`, on other families and seeds than it reports."""

_TRADE_DEEP, _TRADE_FAINT = 2.0, 7.0
"""How much deeper the shallowest valley must be for each point of silhouette given up: tuned as
`_LINKED`."""

_MOST_LOSS = 0.05
"""The most silhouette that a count with fainter valleys may give up: tuned as
`_LINKED`."""

_PLAIN_TO_SEE = 1.0
"""A valley this deep speaks for groups whatever the silhouettes say: tuned as
`_LINKED`."""

_WORTH_LEAVING_OUT = 0.75
"""From no groups to some by leaving features out takes a valley this deep: tuned as `_LINKED`."""

_DEEP_ERRORS, _FAINT_ERRORS = 3.0, 2.0
"""Standard deviations that a valley must be deeper than those of one cloud: as `SURE` and `LIKELY`; judgement."""

_LEAST_SPREAD, _LEAST_SPREAD_OF_DEPTHS = 0.004, 0.03
"""A few clouds can agree by chance: their silhouettes and their valleys differ by no less than this; judgement."""

_LEAST_SHARE, _LEAST_CUSTOMERS = 0.015, 5
"""A group of fewer (a share, and a number of customers) is none: judgement."""

_SUBSET, _SUBSET_OF_CLOUDS = 1_000, 800
"""Customers whose silhouettes weigh counts, and are compared with those of clouds: judgement."""

_PLAYS_NO_PART = 0.10
"""A feature with less than this share between segments, and one peak, plays no part in them: judgement."""

_LONELY = 20.0
"""A customer weighs at most so many times the typical one, by the space it has: judgement."""

COUNTS = range(2, 13)
"""The counts that groups are looked for at, whatever is asked for."""

_MORE, _HIGHEST = 4, 20
"""So many more counts, up to 20, where the groups reach within two of the highest: judgement."""

_DRAWS = 2
"""How often ties are spread anew: judgement."""

_STREAM = 7
"""What the evidence draws with is no seed of the analyst's: a verdict does not hang on it."""

Values = NDArray[np.float64]
Codes = NDArray[np.intp]


@dataclass(frozen=True, eq=False)
class Customers:
    """Customers that groups are looked for in: `values` (n, d), and the places of columns that are one category.

    With `one_scale` columns keep their widths.
    """

    values: Values
    categories: tuple[tuple[int, ...], ...] = ()
    one_scale: bool = False

    @property
    def measures(self) -> list[int]:
        """The places of columns that are no category's."""
        taken = {place for places in self.categories for place in places}
        return [place for place in range(self.values.shape[1]) if place not in taken]

    def features(self) -> list[tuple[int, ...]]:
        """The places of each measure, and of each category as a whole."""
        return [*((place,) for place in self.measures), *self.categories]

    def part(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> "Customers":
        """Some of the customers."""
        return replace(self, values=self.values[rows])

    def without(self, places: Sequence[int]) -> "Customers":
        """The customers without some columns."""
        kept = [place for place in range(self.values.shape[1]) if place not in places]
        at = {place: index for index, place in enumerate(kept)}
        categories = tuple(
            tuple(at[place] for place in category) for category in self.categories if category[0] in at
        )
        return replace(self, values=self.values[:, kept], categories=categories)

    def levels(self) -> NDArray[np.intp]:
        """Which level of each category each customer has (n, c)."""
        found = np.empty((len(self.values), len(self.categories)), dtype=np.intp)
        for index, places in enumerate(self.categories):
            found[:, index] = np.unique(self.values[:, places], axis=0, return_inverse=True)[1].ravel()
        return found

    def scaled(self) -> Values:
        """The values (n, d) with every measure, and every category as a whole, to width 1."""
        centred = self.values - self.values.mean(axis=0)
        spread = centred.std(axis=0)
        if self.one_scale:
            return centred / (np.sqrt((spread**2).mean()) or 1.0)
        for places in self.categories:
            spread[list(places)] = np.sqrt((spread[list(places)] ** 2).sum())
        return np.asarray(centred / np.where(spread > 0.0, spread, 1.0))


@dataclass(frozen=True, eq=False)
class Evidence:
    """What speaks for how many groups.

    `count` is the answer, 1 for no groups. `between_valleys` groups have deep valleys between each two; `silhouettes`
    (on a sample), `excess` (how many standard deviations they are above those of one cloud of the same shape) and
    `valleys` (the depth between the two segments least apart) are by count. `aside` of the `looked_at` customers were
    isolated and set aside. `idle` features (by place) play no part and were left out to see the groups.
    """

    count: int
    between_valleys: int
    silhouettes: dict[int, float]
    excess: dict[int, float]
    valleys: dict[int, float]
    aside: int
    looked_at: int
    idle: tuple[int, ...] = ()
    depth: float = 0.0
    details: dict[str, object] = field(default_factory=dict)

    @property
    def best_silhouette(self) -> int:
        """The count of the highest silhouette."""
        return max(self.silhouettes, key=lambda count: self.silhouettes[count], default=1)


def steps_of_evidence() -> int:
    """How many steps of progress `look_for_groups` reports at most."""
    return 2 * CLOUDS


def look_for_groups(customers: Customers, advance: Callable[[int], None] = lambda _: None) -> Evidence:
    """The evidence on groups in customers.

    Looks a second time without the features that play no part, if there are any. That answer is taken when it finds
    more, or when it finds a valley between each two of its groups and the first look only had soft borders.
    """
    first, idle = _look(customers, (_STREAM, 1), advance)
    if not idle or len(idle) == customers.values.shape[1]:
        advance(CLOUDS)
        return first
    second, _ = _look(customers.without(idle), (_STREAM, 2), advance)
    more = second.count > first.count and (first.count > 1 or second.depth >= _WORTH_LEAVING_OUT)
    firmer = second.count == second.between_valleys >= first.between_valleys < first.count
    own = second.details.get("own") and not first.details.get("own") and second.count == first.count > 1
    return replace(second, idle=idle) if more or firmer or own else first


def _look(
    customers: Customers, stream: tuple[int, ...], advance: Callable[[int], None]
) -> tuple[Evidence, tuple[int, ...]]:
    """The evidence, and the features that play no part in it."""
    for top in range(COUNTS[-1], _HIGHEST + 1, _MORE):
        judge, evidence = _judged(customers, range(2, top + 1), stream, advance)
        if judge is None:
            return evidence, ()
        if evidence.between_valleys < top - 2:
            break
        advance = lambda _: None
    return evidence, judge.idle_features(evidence.details["codes"])


def _judged(
    customers: Customers, counts: Sequence[int], stream: tuple[int, ...], advance: Callable[[int], None]
) -> tuple["_Judge | None", Evidence]:
    rng = np.random.default_rng(stream)
    kept = _thinned(customers, rng)
    aside = _isolated(kept, rng)
    kept = kept.part(~aside)
    table = kept.scaled()
    columns = np.ascontiguousarray(table.T)
    possible = range(2, min(counts[-1], distinct_up_to(columns, counts[-1] + 1) - 1) + 1)
    if not possible:
        advance(CLOUDS)
        return None, Evidence(1, 1, {}, {}, {}, int(aside.sum()), len(customers.values))
    fits = fits_by_count(columns, possible, rng, starts=10)
    smooth = smooth_table(kept.values[:, kept.measures], kept.levels(), _DRAWS, rng)
    clouds = _clouds(kept, smooth, possible, stream, advance)
    judge = _Judge(kept, table, smooth, fits, clouds, rng)
    return judge, judge.verdict(_lonely_fits(columns, possible, rng), int(aside.sum()), len(customers.values))


def _thinned(customers: Customers, rng: np.random.Generator) -> Customers:
    """Exact copies as one, where there are more of them than the features' own ties make."""
    values = customers.values
    _, first, inverse = np.unique(values, axis=0, return_index=True, return_inverse=True)
    inverse = inverse.ravel()
    if len(first) >= 0.95 * len(values):
        return customers
    mixed = np.empty_like(values)
    for places in customers.features():
        mixed[:, places] = values[np.ix_(rng.permutation(len(values)), places)]
    if len(np.unique(mixed, axis=0)) < 0.8 * len(values):
        return customers
    distinct = values[first]
    atoms = np.ones(len(first), dtype=np.bool_)
    for places in customers.features():
        _, which, often = np.unique(distinct[:, places], axis=0, return_inverse=True, return_counts=True)
        atoms &= often[which.ravel()] >= max(8, 0.01 * len(distinct))
    stays = atoms[inverse]
    stays[first] = True
    return customers.part(stays)


def _isolated(customers: Customers, rng: np.random.Generator) -> NDArray[np.bool_]:
    if not customers.measures:
        return np.zeros(len(customers.values), dtype=np.bool_)
    smooth = smooth_table(customers.values[:, customers.measures], customers.levels(), 1, rng)
    return isolated(smooth.draws[0])


@dataclass(frozen=True, eq=False)
class _Clouds:
    """What clouds of the same shape have, by count: silhouettes and depths with their standard deviations."""

    silhouettes: dict[int, tuple[float, float]]
    depths: dict[int, tuple[float, float]]


def _clouds(
    customers: Customers, smooth: SmoothTable, counts: Sequence[int], stream: tuple[int, ...], advance: Callable[[int], None]
) -> _Clouds:
    rng = np.random.default_rng((*stream, 3))
    clouds = OneCloud(smooth, rng)
    widths = _level_widths(customers, smooth)
    rows = np.sort(rng.permutation(smooth.size)[:_SUBSET_OF_CLOUDS])
    least = _least(smooth.size)

    def of_cloud(job: tuple[int, np.random.SeedSequence]) -> tuple[list[float], list[list[float]]]:
        index, own_stream = job
        own = np.random.default_rng(own_stream)
        loose, tied, levels = clouds.draw(own)
        drawn = np.column_stack([standardised(tied), *(width[levels[:, at]] for at, width in enumerate(widths))])
        found = fits_by_count(np.ascontiguousarray(drawn.T), counts, own, starts=3)
        apart = cdist(drawn[rows], drawn[rows])
        silhouettes = [_mean_silhouette(apart, found[count].codes[rows]) for count in counts]
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
    found_s, found_d = {}, {}
    for index, count in enumerate(counts):
        own = np.array([one[index] for one in silhouettes])
        found_s[count] = float(own.mean()), max(float(own.std(ddof=1)), _LEAST_SPREAD)
        every = np.array([depth for one in depths for depth in one[index]])
        found_d[count] = (
            (float(every.mean()), max(float(every.std()), _LEAST_SPREAD_OF_DEPTHS)) if every.size else (0.0, 0.03)
        )
    return _Clouds(found_s, found_d)


def _level_widths(customers: Customers, smooth: SmoothTable) -> list[Values]:
    """For each category what its levels (l, columns) are on the scaled table."""
    table = customers.scaled()
    found = []
    for index, places in enumerate(customers.categories):
        levels = smooth.levels[:, index]
        first = np.unique(levels, return_index=True)[1]
        found.append(table[np.ix_(first, places)])
    return found


def _least(customers: int) -> float:
    return max(_LEAST_CUSTOMERS, _LEAST_SHARE * customers)


class _Judge:
    """Weighs the k-means segments of every count against each other and against one cloud."""

    def __init__(
        self,
        customers: Customers,
        table: Values,
        smooth: SmoothTable,
        fits: dict[int, SmallFit],
        clouds: _Clouds,
        rng: np.random.Generator,
    ) -> None:
        self._customers, self._table, self._smooth, self._fits, self._clouds = customers, table, smooth, fits, clouds
        order = rng.permutation(len(table))
        self._rows = np.sort(order[:_SUBSET])
        rows = np.sort(order[:_SUBSET_OF_CLOUDS])
        looked = smooth.draws[0] if smooth.smoothers else table
        self._distances = cdist(looked[self._rows], looked[self._rows])
        raw = cdist(table[rows], table[rows])
        self._least = _least(len(table))
        self._silhouettes = {count: self._silhouette(fit.codes) for count, fit in fits.items()}
        self._raw = {count: _mean_silhouette(raw, fit.codes[rows]) for count, fit in fits.items()}
        self._excess = {
            count: (self._raw[count] - clouds.silhouettes[count][0]) / clouds.silhouettes[count][1] for count in fits
        }
        self._valleys = {count: Valleys(smooth, fit.codes, count, self._least) for count, fit in fits.items()}

    def verdict(self, lonely: dict[int, SmallFit], aside: int, looked_at: int) -> Evidence:
        groups, depth, apart, codes = self._between_valleys()
        heard = {1: 0.0} | {count: s for count, s in self._silhouettes.items() if self._large_enough(self._fits[count])}
        if groups > 1:
            heard[groups] = max(heard.get(groups, 0.0), apart)
        answer = groups
        for count, fit in self._fits.items():
            if count > answer and self._large_enough(fit):
                in_question = groups > 1 or self._excess[count] > LIKELY
                if in_question and self._speaks_for(count, self._silhouettes[count], self._valleys[count], heard):
                    answer, codes = count, fit.codes
        for count, fit in lonely.items() if groups > 1 else ():
            if count > answer and self._large_enough(fit):
                valleys = Valleys(self._smooth, fit.codes, count, self._least)
                if self._speaks_for(count, self._silhouette(fit.codes), valleys, heard):
                    answer, codes = count, fit.codes
        highest = max((self._excess[count] for count in heard if count in self._excess), default=0.0)
        if highest <= LIKELY and depth <= _PLAIN_TO_SEE:
            answer = 1
        shallow = {count: valleys.shallowest for count, valleys in self._valleys.items()}
        if codes is None:
            codes = self._fits[max(self._silhouettes, key=lambda count: self._silhouettes[count])].codes
        details = {"codes": codes, "own": answer > 1 and shallow.get(answer, 0.0) >= DEEP, "raw": self._raw, "clouds": self._clouds}
        return Evidence(
            answer, groups, self._silhouettes, self._excess, shallow, aside, looked_at, depth=depth, details=details
        )

    def idle_features(self, codes: Codes) -> tuple[int, ...]:
        """Places of features that segments hardly differ in, and that have a single peak of their own."""
        sizes = np.maximum(np.bincount(codes), 1)
        found: list[int] = []
        for index, places in enumerate(self._customers.features()):
            columns = self._table[:, places]
            total = (columns**2).sum()
            between = sum(float((np.bincount(codes, weights=column) ** 2 / sizes).sum()) for column in columns.T)
            peaked = index >= len(self._smooth.smoothers) or scaled_dip(np.sort(self._smooth.draws[0][:, index])) < DEEP
            if total == 0.0 or (between / total < _PLAYS_NO_PART and peaked):
                found += places
        return tuple(found)

    def _between_valleys(self) -> tuple[int, float, float, Codes | None]:
        """The most groups with deep valleys between each two, the shallowest of these, their silhouette and codes."""
        groups, depth, apart, found = 1, 0.0, 0.0, None
        best = max(self._silhouettes.values())
        for own_count, valleys in self._valleys.items():
            most = valleys.linked(_LINKED)
            mean, error = self._clouds.depths[own_count]
            for count, shallowest, codes in valleys.merging():
                limit = max(DEEP, mean + _DEEP_ERRORS * error) if count == own_count else DEEP_MERGED
                if count > most or count <= groups or shallowest < limit:
                    continue
                own = self._silhouette(codes)
                if shallowest >= limit + _TRADE_DEEP * max(0.0, best - own) and np.bincount(codes).min() >= 0.8 * self._least:
                    groups, depth, apart, found = count, shallowest, own, codes
                    break
        return groups, depth, apart, found

    def _speaks_for(self, count: int, own: float, valleys: Valleys, heard: dict[int, float]) -> bool:
        """Whether the valleys of a count are deep enough for what its silhouette loses against fewer segments."""
        mean, error = self._clouds.depths[count]
        loss = max(0.0, max(apart for fewer, apart in heard.items() if fewer < count) - own)
        return loss <= _MOST_LOSS and valleys.shallowest >= max(FAINT, mean + _FAINT_ERRORS * error) + _TRADE_FAINT * loss

    def _large_enough(self, fit: SmallFit) -> bool:
        return int(np.bincount(fit.codes).min()) >= self._least

    def _silhouette(self, codes: NDArray[np.integer]) -> float:
        return _mean_silhouette(self._distances, codes[self._rows])


def _lonely_fits(columns: Values, counts: Sequence[int], rng: np.random.Generator) -> dict[int, SmallFit]:
    """k-means with customers weighted by the space they have, so that a small group counts like a large one."""
    space = nth_neighbour_distances(columns.T, 10)
    middle = float(np.median(space)) or 1.0
    weights = np.clip((space / middle) ** (len(columns) / 2.0), 1.0 / _LONELY, _LONELY)
    return fits_by_count(columns, counts, rng, starts=6, weights=weights)


def _mean_silhouette(distances: Values, codes: NDArray[np.integer]) -> float:
    """The mean silhouette from all distances (m, m)."""
    member = np.zeros((len(codes), int(codes.max()) + 1))
    member[np.arange(len(codes)), codes] = 1.0
    sizes = member.sum(axis=0).astype(np.int64)
    return float(silhouettes_from_sums(distances @ member, codes, sizes).mean())
