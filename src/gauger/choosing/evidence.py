"""Evidence on groups: what the customers' own shape says, whatever count is asked for.

Each criterion alone is wrong for some shapes: a silhouette always has a highest count, even in one cloud; valleys do
not show between groups that overlap. Together they are right far more often (benchmarks/advice.py).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.distance import cdist

from gauger.algorithms import map_jobs
from gauger.algorithms.diagnostics import OneCloud, Valleys, isolated, nth_neighbour_distances, silhouettes_from_sums
from gauger.algorithms.kmeans import SmallFit, distinct_up_to, fits_by_count
from gauger.algorithms.statistics import scaled_dip

MOST_CUSTOMERS = 4_000
"""Customers that groups are looked for in: enough for a group of 2 % to have a peak of its own."""

CLOUDS = 10
"""Tables of one cloud that the customers are compared with: judgement."""

DEEP = 0.60
"""A scaled dip that evenly spread customers reach once in fifty times, a normal cloud never: a valley by itself."""
FAINT = 0.38
"""A scaled dip that speaks for a count when its silhouette does too."""
SURE, LIKELY = 5.0, 3.0
"""Standard deviations of the silhouette above that of one cloud."""

_LINKED = 0.46
"""Segments with a valley shallower than this between them are one group: tuned on
`benchmarks.advice`, on other seeds than it reports."""

_TRADE = 5.0
"""How much deeper the shallowest valley must be for each point of silhouette given up: tuned as
`_LINKED`."""

_MOST_LOSS = 0.05
"""The most silhouette that a count with deeper valleys may give up: tuned as
`_LINKED`."""

_PLAIN_TO_SEE = 0.75
"""A valley this deep speaks for groups whatever the silhouettes say: tuned as
`_LINKED`."""

_LEAST_SPREAD = 0.004
"""Ten clouds can agree by chance: their silhouettes differ by no less than this; judgement."""

_LEAST_SHARE, _LEAST_CUSTOMERS = 0.015, 5
"""A group of fewer (a share, and a number of customers) is none: judgement."""

_SUBSET = 800
"""Customers whose silhouettes weigh counts: judgement."""

_PLAYS_NO_PART = 0.10
"""A feature with less than this share between segments, and one peak, plays no part in them: judgement."""

_LONELY = 20.0
"""A customer weighs at most so many times the typical one, by the space it has: judgement."""

Values = NDArray[np.float64]


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

    @property
    def best_silhouette(self) -> int:
        """The count of the highest silhouette."""
        return max(self.silhouettes, key=lambda count: self.silhouettes[count], default=1)


def steps_of_evidence() -> int:
    """How many steps of progress `look_for_groups` reports at most."""
    return 2 * CLOUDS


def look_for_groups(
    values: Values,
    counts: Sequence[int],
    seed: Sequence[int],
    advance: Callable[[int], None] = lambda _: None,
    *,
    one_scale: bool = False,
) -> Evidence:
    """The evidence in customers (n, d) on counts from 2 up; with `one_scale` features keep their widths.

    Looks a second time without the features that play no part, if there are any. That answer is taken when it finds
    more, or when it finds a valley between each two of its groups and the first look only had soft borders.
    """
    first, idle = _look(values, counts, [*seed, 0], advance, one_scale=one_scale)
    others = [index for index in range(values.shape[1]) if index not in idle]
    if not idle or not others:
        advance(CLOUDS)
        return first
    second, _ = _look(values[:, others], counts, [*seed, 1], advance, one_scale=one_scale)
    firmer = second.count == second.between_valleys >= first.between_valleys < first.count
    return replace(second, idle=idle) if second.count > first.count or firmer else first


def _look(
    values: Values, counts: Sequence[int], seed: Sequence[int], advance: Callable[[int], None], *, one_scale: bool
) -> tuple[Evidence, tuple[int, ...]]:
    """The evidence, and the features that play no part in it."""
    rng = np.random.default_rng(seed)
    aside = isolated(_scaled(values, one_scale=one_scale))
    table = _scaled(values[~aside], one_scale=one_scale)
    columns = np.ascontiguousarray(table.T)
    most = distinct_up_to(columns, max(counts, default=1) + 1) - 1
    possible = [count for count in counts if 2 <= count <= most]
    if not possible:
        advance(CLOUDS)
        return Evidence(1, 1, {}, {}, {}, int(aside.sum()), len(values)), ()
    fits = fits_by_count(columns, possible, rng, starts=8)
    rows = np.sort(rng.permutation(len(table))[:_SUBSET])
    loose = _jittered(table, rng)
    clouds = OneCloud(loose)

    def of_cloud(stream: np.random.SeedSequence) -> list[float]:
        own = np.random.default_rng(stream)
        drawn = clouds.draw(own)
        found = fits_by_count(np.ascontiguousarray(drawn.T), possible, own, starts=3)
        apart = cdist(drawn[rows], drawn[rows])
        return [_mean_silhouette(apart, found[count].codes[rows]) for count in possible]

    references = []
    for one in map_jobs(of_cloud, np.random.SeedSequence(seed).spawn(CLOUDS)):
        references.append(one)
        advance(1)
    judge = _Judge(table, loose, rows, fits, np.array(references))
    evidence = judge.verdict(_lonely_fits(columns, possible, rng), int(aside.sum()), len(values))
    return evidence, judge.idle_features()


class _Judge:
    """Weighs the k-means segments of every count against each other and against one cloud."""

    def __init__(
        self, table: Values, loose: Values, rows: NDArray[np.intp], fits: dict[int, SmallFit], references: Values
    ) -> None:
        self._table, self._loose, self._rows, self._fits = table, loose, rows, fits
        self._distances = cdist(table[rows], table[rows])
        self._least = max(_LEAST_CUSTOMERS, _LEAST_SHARE * len(table))
        self._silhouettes = {count: self._silhouette(fit.codes) for count, fit in fits.items()}
        means, spreads = references.mean(axis=0), np.maximum(references.std(axis=0, ddof=1), _LEAST_SPREAD)
        self._excess = {
            count: (self._silhouettes[count] - means[index]) / spreads[index] for index, count in enumerate(fits)
        }
        self._valleys = {count: Valleys(loose, fit.codes, count, self._least) for count, fit in fits.items()}

    def verdict(self, lonely: dict[int, SmallFit], aside: int, looked_at: int) -> Evidence:
        groups, depth, apart = self._between_valleys()
        heard = {1: 0.0} | {count: s for count, s in self._silhouettes.items() if self._large_enough(self._fits[count])}
        if groups > 1:
            heard[groups] = max(heard.get(groups, 0.0), apart)
        answer = groups
        for count, fit in self._fits.items():
            if count > answer and self._large_enough(fit):
                in_question = groups > 1 or self._excess[count] > LIKELY
                if in_question and self._speaks_for(count, self._silhouettes[count], self._valleys[count], heard):
                    answer = count
        for count, fit in lonely.items() if groups > 1 else ():
            if count > answer and self._large_enough(fit):
                valleys = Valleys(self._loose, fit.codes, count, self._least)
                if self._speaks_for(count, self._silhouette(fit.codes), valleys, heard):
                    answer = count
        highest = max((self._excess[count] for count in heard if count in self._excess), default=0.0)
        if highest <= LIKELY and depth <= _PLAIN_TO_SEE:
            answer = 1
        shallow = {count: valleys.shallowest for count, valleys in self._valleys.items()}
        return Evidence(answer, groups, self._silhouettes, self._excess, shallow, aside, looked_at)

    def idle_features(self) -> tuple[int, ...]:
        """Features that the best segments hardly differ in, and that have a single peak of their own."""
        best = max(self._silhouettes, key=lambda count: self._silhouettes[count])
        codes = self._fits[best].codes
        sizes = np.bincount(codes)
        found = []
        for index, column in enumerate(self._table.T):
            between = float((np.bincount(codes, weights=column) ** 2 / sizes).sum()) / len(column)
            if between < _PLAYS_NO_PART and scaled_dip(np.sort(self._loose[:, index])) < DEEP:
                found.append(index)
        return tuple(found)

    def _between_valleys(self) -> tuple[int, float, float]:
        """The most groups with deep valleys between each two, the shallowest of these, and their silhouette."""
        groups, depth, apart = 1, 0.0, 0.0
        best = max(self._silhouettes.values())
        for valleys in self._valleys.values():
            most = valleys.linked(_LINKED)
            for count, shallowest, codes in valleys.merging():
                if count > most or count <= groups or shallowest < DEEP:
                    continue
                own = self._silhouette(codes)
                if shallowest >= DEEP + max(0.0, best - own) and np.bincount(codes).min() >= 0.8 * self._least:
                    groups, depth, apart = count, shallowest, own
                    break
        return groups, depth, apart

    def _speaks_for(self, count: int, own: float, valleys: Valleys, heard: dict[int, float]) -> bool:
        """Whether the valleys of a count are deep enough for what its silhouette loses against fewer segments."""
        loss = max(0.0, max(apart for fewer, apart in heard.items() if fewer < count) - own)
        return loss <= _MOST_LOSS and valleys.shallowest >= FAINT + _TRADE * loss

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


def _scaled(values: Values, *, one_scale: bool) -> Values:
    spread = values.std(axis=0)
    if one_scale:
        spread = np.full_like(spread, np.sqrt((spread**2).mean()))
    return np.asarray((values - values.mean(axis=0)) / np.where(spread > 0.0, spread, 1.0))


def _jittered(values: Values, rng: np.random.Generator) -> Values:
    """Values with half a step of noise in features of few values, whose ties would look like valleys."""
    loose = values.copy()
    for index, column in enumerate(values.T):
        levels = np.unique(column)
        if 2 < len(levels) < 0.5 * len(column):
            steps = np.interp(column, (levels[:-1] + levels[1:]) / 2.0, np.diff(levels))
            loose[:, index] += (rng.random(len(column)) - 0.5) * steps
    return loose
