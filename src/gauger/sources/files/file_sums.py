"""Customers in files as a source of sums: few full passes, and between them only those who may yet move.

A full pass finds who is hardly nearer to the own centre than to the next; they are kept where they were found. As
long as the centres have gone less far than that, nobody else can change segment (the triangle inequality; the bound is
Hamerly's of 2010), so that the sums of all others stay what they are, and an iteration over everyone needs a look at
those kept alone. Sums are exact, so that this changes no bit.
"""

from dataclasses import dataclass, replace
from operator import attrgetter

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.kmeans import BLOCK_ROWS, SegmentSums, WholeSums, begin_anew, look_block, steps_for
from gauger.columns import Values
from gauger.sources.feature_columns import Steps, treated
from gauger.sources.files.block_reading import Reader
from gauger.sources.files.crews import Held, PartsAtWork
from gauger.sources.files.file_parts import BlockPart

_MARGIN = 1e-9
"""Relative: far above what rounding does to a distance, far below what moves a customer."""

Whole = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class LookResult:
    """What a look at some customers found: `counts` (k,) and exact `sums` (k, d) by segment, how many `moved`."""

    counts: Whole
    sums: WholeSums
    moved: int

    def __add__(self, other: "LookResult") -> "LookResult":
        return LookResult(self.counts + other.counts, self.sums + other.sums, self.moved + other.moved)

    def __sub__(self, other: "LookResult") -> "LookResult":
        return LookResult(self.counts - other.counts, self.sums - other.sums, self.moved - other.moved)


@dataclass(frozen=True, eq=False)
class LookAndKept:
    """A look at a part; `kept` (d, m) are the customers who may move soon, `of_kept` what they add to it."""

    everyone: LookResult
    of_kept: LookResult
    kept: Values


@dataclass(frozen=True, eq=False)
class Working:
    """The working scale: every feature's treatments, and the order (d,) in which distances add features up."""

    treatments: Steps
    order: tuple[int, ...]

    def of(self, raw: Values) -> Values:
        """Features as read (d, n), as k-means has them (d, n)."""
        return treated(raw, self.treatments, self.order)


@dataclass(frozen=True, eq=False)
class Look:
    """What to look by: centres (k, d), those of the time before (or none), and whom to keep.

    `steps` (d,) are the exponents of exact sums. Who is at most `margin` nearer to the own centre than to the next is
    kept.
    """

    centres: Values
    before: Values | None
    steps: Whole
    margin: float = -1.0

    def at(self, columns: Values) -> tuple[LookResult, LookResult, Values]:
        """Look at customers (d, n): what they add, what those kept of them add, and these (d, m)."""
        count, d = self.centres.shape
        before = self.centres[:0] if self.before is None else self.before
        reach = np.full(count, -1.0) if self.before is None else _reach(self.before, self.centres) + _slip(columns)
        scales = 2.0 ** self.steps.astype(np.float64)
        kept = np.zeros(columns.shape[1], dtype=np.bool_)
        nothing = LookResult(np.zeros(count, dtype=np.int64), WholeSums.none((count, d)), 0)
        everyone, of_kept = nothing, nothing
        for start in range(0, columns.shape[1], BLOCK_ROWS):
            stop = min(start + BLOCK_ROWS, columns.shape[1])
            counts, kept_counts = np.zeros(count, dtype=np.int64), np.zeros(count, dtype=np.int64)
            sums, kept_sums = np.zeros((count, d), dtype=np.int64), np.zeros((count, d), dtype=np.int64)
            moved = look_block(
                *(columns, start, stop, self.centres, before, reach, self.margin, scales),
                *(counts, sums, kept, kept_counts, kept_sums),
            )
            everyone += LookResult(counts, WholeSums.of(sums), int(moved) if self.before is not None else stop - start)
            of_kept += LookResult(kept_counts, WholeSums.of(kept_sums), 0)
        return everyone, of_kept, np.ascontiguousarray(columns[:, kept])


def _reach(before: Values, after: Values) -> Values:
    """By how much a customer of each segment (k,) must be nearer to its centre to be where it was."""
    ways = np.sqrt(((after - before) ** 2).sum(axis=1))
    if len(ways) == 1:
        return np.full(1, -np.inf)
    fastest = int(ways.argmax())
    others = np.full(len(ways), ways[fastest])
    others[fastest] = np.delete(ways, fastest).max()
    return np.asarray(ways + others)


def _slip(columns: Values) -> float:
    """What rounding may do to a distance."""
    return _MARGIN * float(np.sqrt((np.abs(columns).max(axis=1, initial=0.0) ** 2).sum()))


def look_at_part(reader: Reader, working: Working, look: Look, part: BlockPart) -> LookAndKept:
    """Look at every customer of a part."""
    found: tuple[LookResult, LookResult] | None = None
    kept: list[Values] = []
    for block in reader.customers(part):
        everyone, of_kept, own = look.at(working.of(block.raw))
        found = (everyone, of_kept) if found is None else (found[0] + everyone, found[1] + of_kept)
        kept.append(own)
    if found is None:
        count, d = look.centres.shape
        nothing = LookResult(np.zeros(count, dtype=np.int64), WholeSums.none((count, d)), 0)
        return LookAndKept(nothing, nothing, np.empty((d, 0)))
    return LookAndKept(*found, np.ascontiguousarray(np.concatenate(kept, axis=1)))


def look_at_kept(look: Look, held: LookAndKept) -> LookResult:
    """Look at those whom a part kept."""
    return look.at(held.kept)[0]


@dataclass(frozen=True, eq=False)
class Far:
    """The customers farthest from their centres: rows (m, 1 + d) of the squared distance and their values."""

    rows: Values
    most: int

    def __add__(self, other: "Far") -> "Far":
        return Far.of(np.concatenate([self.rows, other.rows]), self.most)

    @classmethod
    def of(cls, rows: Values, most: int) -> "Far":
        """The farthest of some, each place once, ties to the smaller values."""
        distinct = np.unique(rows, axis=0)
        return cls(distinct[np.argsort(-distinct[:, 0], kind="stable")[:most]], most)


def farthest(reader: Reader, working: Working, centres: Values, most: int, part: BlockPart) -> Far:
    """The customers of a part farthest from their centres."""
    found = Far(np.empty((0, 1 + centres.shape[1])), most)
    for block in reader.customers(part):
        columns = working.of(block.raw)
        squares = np.full(block.size, np.inf)
        for centre in centres:
            squares = np.minimum(squares, ((columns - centre[:, None]) ** 2).sum(axis=0))
        own = np.flatnonzero(squares >= np.partition(squares, -min(most, block.size))[-min(most, block.size)])
        found += Far.of(np.column_stack([squares[own], columns[:, own].T]), most)
    return found


class FileSums:
    """Everyone, as k-means asks for them."""

    def __init__(
        self,
        reader: Reader,
        working: Working,
        work: PartsAtWork,
        *,
        largest: Values,
        spread: tuple[Values, float],
        margin: float,
    ) -> None:
        self._reader, self._working, self._work = reader, working, work
        self._largest, self._steps, self._spread, self._margin = largest, steps_for(largest), spread, margin
        self._held: list[Held] = []
        self._settled: LookResult | None = None
        self._since: Values | None = None
        self._last: Values | None = None

    def spread(self) -> tuple[Values, float]:
        return self._spread

    def sums_at(self, centres: Values) -> SegmentSums:
        look = Look(centres, self._last, self._steps, self._margin)
        if self._settled is not None and self._since is not None and self._stays(centres):
            moving = self._work.crew.total(
                "those who may move", look_at_kept, [(replace(look, margin=-1.0), one) for one in self._held]
            )
            found = self._settled + moving
        else:
            found = self._full_pass(look)
        self._last = centres
        weight, total = found.counts.astype(np.float64), found.sums.values(self._steps)
        moved = found.moved
        if not weight.all():
            moved += self._refill(centres, weight, total)
        return SegmentSums(weight, total, moved)

    def _stays(self, centres: Values) -> bool:
        """Whether the centres have gone less far than what the settled are sure of."""
        assert self._since is not None
        slip = _MARGIN * float(np.sqrt((self._largest**2).sum()))
        return float(_reach(self._since, centres).max()) + slip < self._margin

    def _full_pass(self, look: Look) -> LookResult:
        self._held = []  # before others are kept
        self._held = self._work.hold("k-means over everyone", look_at_part, self._reader, self._working, look)
        jobs = [(one,) for one in self._held]
        found: LookResult = self._work.crew.total("adding up", attrgetter("everyone"), jobs)
        of_kept: LookResult = self._work.crew.total("adding up", attrgetter("of_kept"), jobs)
        self._settled, self._since = replace(found - of_kept, moved=0), look.centres
        return found

    def _refill(self, centres: Values, weight: Values, total: Values) -> int:
        """Give each segment that nobody is in the customer farthest from its centre; how many there were."""
        most = 2 * len(centres)
        found = self._work.total("customers far out", farthest, self._reader, self._working, centres, most)
        return begin_anew(centres, weight, total, found.rows[:, 1:])
