"""Everyone placed by centres, block by block: written down, counted and described, by two passes."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
from numpy.typing import NDArray

from gauger.algorithms.statistics import Edges, OrderStatistics, count_between, edges_around
from gauger.columns import KeyForm, Values
from gauger.errors import TableFileError
from gauger.models import GATE_SHARE, SegmentModel, bins_of
from gauger.sources.assignments import ASSIGNED
from gauger.sources.exact_moments import SegmentMoments
from gauger.sources.feature_columns import treated
from gauger.sources.files.block_reading import Reader
from gauger.sources.files.crews import PartsAtWork
from gauger.sources.files.file_parts import BlockPart
from gauger.sources.files.file_quantiles import ValuesInRanges
from gauger.sources.files.key_columns import as_results_have
from gauger.sources.places import Description, Scaling
from gauger.sources.treatment_learning import QUARTILES
from gauger.tables import BlockWriter


@dataclass(frozen=True, eq=False)
class Placement:
    """How customers are placed: the reader, the model, and how their keys are written."""

    reader: Reader
    model: SegmentModel
    keys: KeyForm

    def of(self, raw: Values) -> tuple[NDArray[np.int32], Values]:
        """Segments from 1 (n,) and distances (n,) of some customers, from their features as read (d, n)."""
        steps = tuple(one.treatments for one in self.model.features)
        return self.model.rule.find_segments(treated(raw, steps), {})

    def table(self, keys: pa.ChunkedArray, codes: NDArray[np.int32], distances: Values) -> pa.Table:
        """Who is where."""
        called = [one.name for one in self.model.segments]
        names = pa.DictionaryArray.from_arrays(pa.array(codes - np.int32(1)), called)
        columns = (pa.array(codes), names, pa.array(distances))
        own = as_results_have(keys, self.keys)
        return pa.table({self.model.key: own, **dict(zip(ASSIGNED, columns, strict=True))})

    def blocks(self, part: BlockPart) -> Iterator[pa.Table]:
        """Who of a part is where, block by block."""
        for block in self.reader.customers(part, keys=True):
            assert block.keys is not None
            yield self.table(block.keys, *self.of(block.raw))


@dataclass(frozen=True, eq=False)
class _Placements:
    """What came of placing some customers: `sizes` (k,), the ends of each column by segment (k, d + 1), and counts
    between edges."""

    sizes: NDArray[np.int64]
    lows: Values
    highs: Values
    counts: NDArray[np.int64]

    def __add__(self, other: "_Placements") -> "_Placements":
        return _Placements(
            self.sizes + other.sizes,
            np.fmin(self.lows, other.lows),
            np.fmax(self.highs, other.highs),
            self.counts + other.counts,
        )


def _place(placement: Placement, edges: Edges, out: Path | None, part: BlockPart) -> _Placements:
    """Place every customer of a part, and write who is where into a file, if one is named and there is anybody."""
    count, columns = len(placement.model.segments), len(edges.starts) - 1
    nothing = np.full((count, columns), np.nan)
    found = _Placements(np.zeros(count, dtype=np.int64), nothing, nothing, edges.counts(count))
    with BlockWriter(out or Path()) as pieces:
        for block in placement.reader.customers(part, keys=out is not None):
            codes, distances = placement.of(block.raw)
            described, own = np.vstack([block.raw, distances]), codes - np.int32(1)
            count_between(described, own, 0, block.size, edges.values, edges.starts, found.counts)
            lows, highs = _ends_by_segment(described, own, count)
            found = _Placements(
                found.sizes + np.bincount(own, minlength=count),
                np.fmin(found.lows, lows),
                np.fmax(found.highs, highs),
                found.counts,
            )
            if block.keys is not None:
                pieces.write(placement.table(block.keys, codes, distances))
    return found


def _ends_by_segment(columns: Values, codes: NDArray[np.int32], count: int) -> tuple[Values, Values]:
    """The smallest and largest value of each column (d, n) by segment (k, d), NaN of none."""
    order = np.argsort(codes, kind="stable")
    there, firsts = np.unique(codes[order], return_index=True)
    ordered = columns[:, order]
    lows, highs = np.full((count, len(columns)), np.nan), np.full((count, len(columns)), np.nan)
    lows[there] = np.fmin.reduceat(ordered, firsts, axis=1).T
    highs[there] = np.fmax.reduceat(ordered, firsts, axis=1).T
    return lows, highs


@dataclass(frozen=True, eq=False)
class _SeenAgain:
    """Moments by segment, and the values in ranges looked for."""

    moments: SegmentMoments
    found: ValuesInRanges

    def __add__(self, other: "_SeenAgain") -> "_SeenAgain":
        return _SeenAgain(self.moments + other.moments, self.found + other.found)


def _look_again(
    placement: Placement, lows: Values, highs: Values, ranges: tuple[Values, Values] | None, part: BlockPart
) -> _SeenAgain:
    """The moments of a part by segment, and its values that lie in ranges, with the segments (from 0) they are in."""
    moments, found = SegmentMoments.none(lows, highs), ValuesInRanges.nothing(lows.shape[1])
    for block in placement.reader.customers(part):
        codes, distances = placement.of(block.raw)
        described, own = np.vstack([block.raw, distances]), codes - np.int32(1)
        moments = moments.with_block(described, own)
        if ranges is not None:
            found += ValuesInRanges.of(described, own, ranges)
    return _SeenAgain(moments, found)


def describe_blocks(
    placement: Placement, scaling: Scaling, sample: pd.DataFrame, work: PartsAtWork, outs: Sequence[Path | None]
) -> Description:
    """Place everyone, into a file for each part where these are named, and look again at moments, quartiles and
    gates."""
    original = scaling.columns.raw(sample)
    bins = [bins_of(np.sort(own[~np.isnan(own)]))[0] if (~np.isnan(own)).any() else () for own in original]
    edges = _edges(placement, original, bins)
    jobs = [(placement, edges, out, part) for out, part in zip(outs, work.parts, strict=True)]
    work.passes += 1
    placed: _Placements = work.crew.total("assigning everyone", _place, jobs)
    if int(placed.sizes.sum()) != scaling.survey.kept:
        raise TableFileError(
            f"{scaling.survey.kept:,} customers were read at first and {int(placed.sizes.sum()):,} at last: the files "
            "changed meanwhile. Segment them again once nobody writes to them."
        )
    statistics = OrderStatistics.counted(edges, placed.counts)
    distance = len(original)
    asked = {
        (group, column): statistics.ranks_of(group, column, (GATE_SHARE,) if column == distance else QUARTILES)
        for group in range(statistics.everyone + 1)
        for column in range(distance + 1)
    }
    ranges = statistics.open_ranges(asked)
    seen: _SeenAgain = work.total("describing segments", _look_again, placement, placed.lows, placed.highs, ranges)
    if ranges is not None:
        for (group, column), ranks in asked.items():
            own = slice(None) if group == statistics.everyone else seen.found.codes[column] == group
            statistics.take(group, column, ranks, seen.found.columns[column][own])
    everyone = statistics.everyone
    quartiles = [
        [[statistics.quantile(group, column, share) for share in QUARTILES] for group in range(everyone + 1)]
        for column in range(distance)
    ]
    between = []
    for column, own_bins in enumerate(bins):
        below = [
            0,
            *(statistics.below(everyone, column, edge) for edge in own_bins),
            statistics.known(everyone, column),
        ]
        between.append(tuple(np.diff(below).tolist()))
    gates = np.array([statistics.quantile(group, distance, GATE_SHARE) for group in range(everyone)])
    return Description(seen.moments, np.array(quartiles), gates, tuple(bins), tuple(between))


def _edges(placement: Placement, original: Values, bins: Sequence[tuple[float, ...]]) -> Edges:
    """Where to count: around the quartiles of every segment by the sample, and at the ends of a model's bins."""
    codes, distances = placement.of(original)
    numbers = range(1, len(placement.model.segments) + 1)
    columns = []
    for column, own_bins in zip(original, bins, strict=True):
        present = ~np.isnan(column)
        groups = [np.sort(column[present & (codes == number)]) for number in numbers]
        columns.append(edges_around([*groups, np.sort(column[present])], QUARTILES, own_bins))
    by_segment = [np.sort(distances[codes == number]) for number in numbers]
    columns.append(edges_around([*by_segment, np.sort(distances)], (GATE_SHARE,)))
    return Edges.of(columns)
