"""The last looks at everyone: who is where, what each segment is like, and the model that places others."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial
from importlib.metadata import version
from pathlib import Path

import numpy as np

from gauger.algorithms.statistics import Edges, OrderStatistics, edges_around
from gauger.columns import Values
from gauger.engine.crews import Everyone
from gauger.engine.placing import Placed, Placement, look_again, place
from gauger.engine.results import PartProfile
from gauger.engine.treating import Treated
from gauger.errors import TableFileError
from gauger.models import GATE_SHARE, Exceptions, LearnedFeature, LearnedSegment, NearestCentre, SegmentModel, bins_of

_QUARTILES = (0.25, 0.5, 0.75)
"""The shares that quartiles are at."""


@dataclass(frozen=True, eq=False)
class Described:
    """Everyone as placed: what was added up, and order statistics; the last column is the distance."""

    placed: Placed
    statistics: OrderStatistics

    @property
    def distance(self) -> int:
        """The column of distances."""
        return len(self.placed.moments.lows) - 1


def placement_of(features: Treated, centres: Values) -> Placement:
    """How everyone is placed by centres (k, d) in the order of the features."""
    seen, reader = features.survey, features.reader
    indicators = len(reader.indicators)
    farthest = 2.0 * float(np.sqrt((np.abs(features.ends).max(axis=1) ** 2).sum()))
    names = tuple(f"segment {number}" for number in range(1, len(centres) + 1))
    return Placement(
        reader,
        features.working.treatments,
        NearestCentre.of(centres, reader.names),
        names,
        np.concatenate([seen.lows, np.zeros(indicators + 1)]),
        np.concatenate([seen.highs, np.ones(indicators), [farthest]]),
        seen.keys.become_whole,
    )


def describe(placement: Placement, features: Treated, everyone: Everyone, outs: Sequence[Path | None]) -> Described:
    """Place everyone, into a file a part where one is named, and look again at where quartiles and gates must lie."""
    edges = _edges(placement, features)
    jobs = [(placement, edges, out, part) for out, part in zip(outs, everyone.parts, strict=True)]
    everyone.passes += 1
    placed: Placed = everyone.crew.total("assigning everyone", place, jobs)
    if int(placed.sizes.sum()) != features.survey.kept:
        raise TableFileError(
            f"{features.survey.kept:,} customers were read at first and {int(placed.sizes.sum()):,} at last: the files "
            "changed meanwhile. Segment them again once nobody writes to them."
        )
    statistics = OrderStatistics.counted(edges, placed.counts)
    distance = len(placement.lows) - 1
    asked = {
        (group, column): statistics.ranks_of(group, column, (GATE_SHARE,) if column == distance else _QUARTILES)
        for group in range(statistics.everyone + 1)
        for column in range(distance + 1)
    }
    ranges = statistics.open_ranges(asked)
    if ranges is not None:
        found = everyone.total("quartiles of segments", look_again, placement, ranges)
        for (group, column), ranks in asked.items():
            own = slice(None) if group == statistics.everyone else found.codes[column] == group
            statistics.take(group, column, ranks, found.columns[column][own])
    return Described(placed, statistics)


def _edges(placement: Placement, features: Treated) -> Edges:
    """Where to count: around the quartiles of every segment by the sample, and at the ends of a model's bins."""
    original = features.sample.original.to_numpy().T
    codes, distances = placement.rule.find_segments(np.ascontiguousarray(features.sample.values.T), {})
    columns = []
    for column in original:
        present = ~np.isnan(column)
        groups = [np.sort(column[present & (codes == number)]) for number in range(1, len(placement.names) + 1)]
        everyone = np.sort(column[present])
        bins = bins_of(everyone)[0] if len(everyone) else ()
        columns.append(edges_around([*groups, everyone], _QUARTILES, bins))
    by_segment = [np.sort(distances[codes == number]) for number in range(1, len(placement.names) + 1)]
    columns.append(edges_around([*by_segment, np.sort(distances)], (GATE_SHARE,)))
    return Edges.of(columns)


def profile_of(described: Described, features: Treated) -> PartProfile:
    """What the segments are like."""
    statistics, names = described.statistics, features.reader.names
    quartiles = [
        [
            [statistics.quantile(group, column, share) for share in _QUARTILES]
            for group in range(statistics.everyone + 1)
        ]
        for column in range(len(names))
    ]
    return PartProfile.of(names, described.placed.moments, np.array(quartiles))


def model_of(
    described: Described, placement: Placement, features: Treated, seed: int, made_at: datetime | None
) -> SegmentModel:
    """The model that places other customers as everyone was placed."""
    moments, statistics, distance = described.placed.moments, described.statistics, described.distance
    means = moments.means()[:, distance]
    assert isinstance(placement.rule, NearestCentre)
    segments = tuple(
        LearnedSegment(
            number,
            placement.names[number - 1],
            int(size),
            statistics.quantile(number - 1, distance, GATE_SHARE),
            float(means[number - 1]),
        )
        for number, size in enumerate(described.placed.sizes.tolist(), 1)
    )
    return SegmentModel(
        key=features.reader.key,
        features=tuple(map(partial(_learned, described, features), range(len(features.reader.names)))),
        segments=segments,
        rule=placement.rule,
        centres=placement.rule.centres,
        exceptions=Exceptions(np.empty((0, len(features.reader.names))), np.empty(0, dtype=np.int32)),
        method="k-means",
        customers=features.survey.kept,
        unassigned=0,
        gate_share=GATE_SHARE,
        made_at=(made_at or datetime.now(UTC)).isoformat(timespec="seconds"),
        made_by=version("gauger"),
        seed=seed,
        fingerprint=_fingerprint(described, features),
    )


def _learned(described: Described, features: Treated, column: int) -> LearnedFeature:
    name = features.reader.names[column]
    indicator = features.reader.indicators.get(name)
    whole, statistics = described.placed.moments.of_everyone(), described.statistics
    everyone = statistics.everyone
    known = statistics.known(everyone, column)
    sample = features.sample.original[name].to_numpy()
    edges = bins_of(np.sort(sample[~np.isnan(sample)]))[0]
    below = [0, *(statistics.below(everyone, column, edge) for edge in edges), known]
    return LearnedFeature(
        name,
        indicator.column if indicator else name,
        indicator,
        features.working.treatments[column],
        float(features.survey.lows[column]) if indicator is None else 0.0,
        float(features.survey.highs[column]) if indicator is None else 1.0,
        float(whole.means()[0, column]),
        float(whole.deviations()[0, column]),
        1.0 - known / features.survey.kept,
        tuple(statistics.quantile(everyone, column, share) for share in _QUARTILES),
        edges,
        tuple((np.diff(below) / known).tolist()),
    )


def _fingerprint(described: Described, features: Treated) -> str:
    """SHA-256 over the sums of all keys' hashes and of all values, whatever the order of rows and the parts."""
    moments = described.placed.moments
    digest = hashlib.sha256(f"{features.survey.rows} {features.survey.check}".encode())
    for sums in (moments.sums, moments.squares):
        digest.update(sums.values(np.zeros(len(moments.lows), dtype=np.int64)).tobytes())
    digest.update("\n".join(features.reader.names).encode())
    return digest.hexdigest()
