"""Customers in blocks as they are now, against those that a model was learned from: by one pass over all of them."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gauger.columns import Values
from gauger.models import AssignmentTally, SegmentModel, about_values, beyond_gates
from gauger.monitoring import CustomersNow, FeatureNow, SegmentNow, nobody_to_compare
from gauger.sources.files.block_assigning import placed_blocks
from gauger.sources.files.file_parts import BlockPart
from gauger.sources.files.repeated_keys import KeyedPart, in_order
from gauger.tables import ReadingRules, hashes_of


@dataclass(frozen=True, eq=False)
class _Now:
    """Sums over some customers: what assigning them says; of each feature the counts between its edges, values, their
    sum and sum of squares about the mean that was learned; and by segment the sums of working values and distances."""

    tally: AssignmentTally
    between: tuple[NDArray[np.int64], ...]
    sums: Values
    middles: Values
    distances: Values
    beyond: int

    @property
    def rows(self) -> int:
        """How many customers they are over."""
        return self.tally.rows

    def __add__(self, other: "_Now") -> "_Now":
        return _Now(
            self.tally + other.tally,
            tuple(one + more for one, more in zip(self.between, other.between, strict=True)),
            self.sums + other.sums,
            self.middles + other.middles,
            self.distances + other.distances,
            self.beyond + other.beyond,
        )


def _nobody(model: SegmentModel) -> _Now:
    d, k = len(model.features), len(model.segments)
    counts = tuple(np.zeros(len(one.shares), dtype=np.int64) for one in model.features)
    return _Now(AssignmentTally.nobody(model), counts, np.zeros((3, d)), np.zeros((k, d)), np.zeros(k), 0)


def sums_now(model: SegmentModel, rules: ReadingRules, scratch: Path | None, part: BlockPart) -> KeyedPart:
    """The sums over the customers of a part."""
    found, gates, hashes = _nobody(model), model.gates, []
    for table, placed, keys in placed_blocks(model, None, rules, part):
        between, sums = [], np.zeros((3, len(model.features)))
        for at, one in enumerate(model.features):
            values = placed.raw[one.name]
            present = values[np.isfinite(values)]
            places = np.searchsorted(one.edges, present, side="right")
            between.append(np.bincount(places, minlength=len(one.shares)))
            gaps = present - one.mean
            sums[:, at] = len(present), gaps.sum(), (gaps**2).sum()
        own = [placed.codes == segment.number for segment in model.segments]
        found += _Now(
            AssignmentTally.of(model, table, placed),
            tuple(between),
            sums,
            np.array([placed.working[:, one].sum(axis=1) for one in own]),
            np.array([placed.distances[one].sum() for one in own]),
            int(beyond_gates(placed.codes, placed.distances, gates).sum()),
        )
        hashes.append(hashes_of(keys))
    return KeyedPart(found, in_order(hashes, scratch))


def customers_now(model: SegmentModel, seen: _Now) -> CustomersNow:
    """The customers now, as `drift` needs them, from the sums over all of them."""
    rows, sizes = seen.rows, seen.tally.segments[1:]
    if not rows:
        raise nobody_to_compare()
    known, totals, squares = seen.sums
    features = []
    for at, one in enumerate(model.features):
        if not known[at]:
            features.append(FeatureNow((), np.nan, np.nan, 1.0))
            continue
        mean = totals[at] / known[at]
        spread = max(squares[at] / known[at] - mean**2, 0.0) ** 0.5
        features.append(FeatureNow(seen.between[at].tolist(), one.mean + mean, spread, 1.0 - known[at] / rows))
    with np.errstate(invalid="ignore"):
        middles, distances = seen.middles / sizes[:, None], seen.distances / sizes
    segments = [
        SegmentNow(float(size) / rows, middle, float(distance))
        for size, middle, distance in zip(sizes, middles, distances, strict=True)
    ]
    about = tuple(about_values(model, seen.tally.outside, seen.tally.middles))
    return CustomersNow(rows, features, segments, float(seen.tally.segments[0]) / rows, seen.beyond / rows, about)
