"""Evidence on groups: what the customers' own shape says, whatever count is asked for.

Each criterion alone is wrong for some shapes: a silhouette always has a highest count, even in one cloud; valleys do
not show between groups that overlap. Together they are right far more often (benchmarks/advice.py). What the evidence
draws at random hangs on no seed of the analyst's, and neither does a verdict.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.diagnostics import DEEP, Valleys, joined
from gauger.algorithms.statistics import scaled_dip
from gauger.choosing.filters import Filters, filters_among
from gauger.choosing.group_table import GroupTable
from gauger.choosing.signs import Partition, Signs
from gauger.choosing.survey import CLOUDS, Survey
from gauger.choosing.weighing import FAINT_OF_FIRM, Weighed, weigh
from gauger.features import FeatureSet

MOST_CUSTOMERS = 4_000
"""Customers that groups are looked for in: enough for a group of 2 % to have a peak of its own."""

_COUNTS, _NEAR_THE_TOP = (8, 12, 16, 20), 2
"""Groups are looked for up to 8, and further where the answer, the groups with valleys or the highest silhouette come
within two of that: judgement."""

_WORTH_LEAVING_OUT = 0.75
"""From no groups to some by leaving features out takes a valley this deep: tuned as `_LINKED`."""

_PLAYS_NO_PART = 0.10
"""A feature with less than this share between segments, and one peak, plays no part in them: judgement."""

_LOOKS = 3
"""Looks at most, each without what played no part in the groups of the one before: judgement."""

_STREAM = 7
"""The stream of the evidence, which takes no seed."""

Codes = NDArray[np.integer]


@dataclass(frozen=True, eq=False)
class Evidence:
    """What speaks for how many groups.

    `count` is the answer, 1 for no groups. `between_valleys` groups have deep valleys between each two; `silhouettes`
    (on a sample), `excess` (how many standard deviations they are above those of one cloud of the same shape) and
    `valleys` (the depth between the two segments least apart) are by count. `aside` of the `looked_at` customers were
    isolated and set aside. `idle` features (by place) play no part and were left out to see the groups. `rival` is a
    higher count that nearly as much speaks for. `signs` are those of all features.
    """

    count: int
    between_valleys: int
    silhouettes: dict[int, float]
    excess: dict[int, float]
    valleys: dict[int, float]
    aside: int
    looked_at: int
    idle: tuple[int, ...] = ()
    rival: int | None = None
    signs: Signs | None = None

    @property
    def best_silhouette(self) -> int:
        """The count of the highest silhouette."""
        return max(self.silhouettes, key=lambda count: self.silhouettes[count], default=1)

    def depth_of(self, codes: Codes) -> float:
        """The valley between the two least apart of the segments of all customers (n,); 0 for one segment."""
        if self.signs is None or codes.max() < 2:
            return 0.0
        own = codes[self.signs.table.rows].astype(np.intp) - 1
        return Valleys(self.signs.smooth, own, int(codes.max()), 0.5 * self.signs.least).shallowest

    def excess_of(self, count: int) -> float:
        """How far the silhouette of a count is above that of one cloud, by all features."""
        if self.signs is None or count not in self.signs.by_count:
            return self.excess.get(count, 0.0)
        return self.signs.by_count[count].excess

    def filters(self, features: FeatureSet, names: Sequence[str]) -> Filters:
        """What filters on features tell apart; `names` are those of the columns that groups were looked for in.

        Where there are groups, only what segments at some count repeat.
        """
        if self.signs is None or not names:
            return Filters()
        own = {count: sign.own.codes for count, sign in self.signs.by_count.items()}
        found = filters_among(self.signs.table, own, features, names)
        return found if self.count == 1 else replace(found, others={})


def steps_of_evidence() -> int:
    """How many steps of progress `look_for_groups` reports at most."""
    return 2 * CLOUDS


def look_for_groups(table: GroupTable, advance: Callable[[int], None] = lambda _: None) -> Evidence:
    """The evidence on groups in customers.

    Looks again without the features that play no part in the groups, if there are any. That answer is taken when it
    finds more, is firmer, or shows its groups in its own k-means segments; then the same once more.
    """
    all_signs, found = _look(table, (_STREAM, 1), advance)
    signs = all_signs
    left_out: tuple[int, ...] = ()
    to_come = CLOUDS
    for attempt in range(2, _LOOKS + 1):
        idle = _idle_places(signs, found, table, left_out)
        if len(idle) == len(left_out) or len(idle) == table.values.shape[1]:
            break
        others, again = _look(table.without(idle), (_STREAM, attempt), advance if to_come else lambda _: None)
        to_come = 0
        if not _better(again, others, found, signs):
            break
        signs, found, left_out = others, again, idle
    advance(to_come)
    return _evidence(signs, found, len(table.values), left_out, all_signs)


def _idle_places(signs: Signs, found: Weighed, table: GroupTable, left_out: tuple[int, ...]) -> tuple[int, ...]:
    """The places in the table of what was left out, and of what plays no part in the groups found without that."""
    kept = [place for place in range(table.values.shape[1]) if place not in left_out]
    return tuple(sorted([*left_out, *(kept[place] for place in idle_features(signs, found))]))


def _better(second: Weighed, others: Signs, first: Weighed, signs: Signs) -> bool:
    """Whether a look at fewer features shows groups better than the one before."""
    if second.count > first.count:
        return first.count > 1 or second.depth >= _WORTH_LEAVING_OUT
    firm = second.count == second.between_valleys > 1
    firmer = second.between_valleys >= first.between_valleys or second.depth > first.depth
    if firm and first.between_valleys < first.count and firmer:
        return True
    return second.count == first.count > 1 and _shown(others, second) and not _shown(signs, first)


def _shown(signs: Signs, weighed: Weighed) -> bool:
    """Whether the groups are the k-means segments of their count."""
    return weighed.count in signs.by_count and signs.by_count[weighed.count].own.shallowest >= DEEP


def _look(table: GroupTable, stream: tuple[int, ...], advance: Callable[[int], None]) -> tuple[Signs, Weighed]:
    """The signs, and what they weigh, at as many counts as there may be groups."""
    survey = Survey(table, stream)
    signs, lowest = survey.nothing, 2
    for highest in _COUNTS:
        signs = signs.with_counts(survey.measure(lowest, highest, advance if lowest == 2 else lambda _: None))
        if not signs.by_count:
            return signs, Weighed(1, 1, 0.0, None)
        weighed = weigh(signs)
        if max(weighed.count, weighed.between_valleys, weighed.peak) < highest - _NEAR_THE_TOP:
            break
        lowest = highest + 1
    return signs, _not_of_one_feature(signs, weighed)


def _not_of_one_feature(signs: Signs, weighed: Weighed) -> Weighed:
    """What was weighed without groups that one feature of a few values makes: a filter on it would give them.

    Two groups that have no valley between them once such a feature is left out are one.
    """
    groups = weighed.groups
    if groups is None:
        return weighed
    depths = np.full((groups.count, groups.count), np.inf)
    for smooth in signs.smooth.without_each_of_few_levels():
        depths = np.minimum(depths, Valleys(smooth, groups.codes, groups.count, signs.least).depths)
    left, home = joined(depths, FAINT_OF_FIRM)
    if left == groups.count:
        return weighed
    if left == 1:
        return Weighed(1, 1, 0.0, None)
    codes = home[groups.codes]
    shallowest = Valleys(signs.smooth, codes, left, signs.least).shallowest
    rest = Partition(left, codes, groups.silhouette, shallowest, int(np.bincount(codes).min()))
    return Weighed(left, min(weighed.between_valleys, left), shallowest, rest)


def _evidence(signs: Signs, weighed: Weighed, looked_at: int, left_out: tuple[int, ...], all_signs: Signs) -> Evidence:
    return Evidence(
        weighed.count,
        weighed.between_valleys,
        {count: sign.own.silhouette for count, sign in signs.by_count.items()},
        {count: sign.excess for count, sign in signs.by_count.items()},
        {count: sign.own.shallowest for count, sign in signs.by_count.items()},
        signs.aside,
        looked_at,
        left_out,
        weighed.rival,
        all_signs,
    )


def idle_features(signs: Signs, weighed: Weighed) -> tuple[int, ...]:
    """Places of features that the firm groups hardly differ in, and that have a single peak of their own."""
    if not signs.by_count:
        return ()
    groups = weighed.firm or weighed.groups or _best(signs)
    sizes = np.maximum(np.bincount(groups.codes), 1)
    found: list[int] = []
    columns = iter(signs.table.scaled().T)
    for index, places in enumerate(signs.table.features):
        own = [next(columns) for _ in places]
        total = sum(float((column**2).sum()) for column in own)
        between = sum(float((np.bincount(groups.codes, weights=column) ** 2 / sizes).sum()) for column in own)
        peaked = index >= len(signs.smooth.smoothers) or scaled_dip(np.sort(signs.smooth.draws[0][:, index])) < DEEP
        if between <= _PLAYS_NO_PART * total and peaked:
            found += places
    return tuple(found)


def _best(signs: Signs) -> Partition:
    return max((sign.own for sign in signs.by_count.values()), key=lambda segments: segments.silhouette)
