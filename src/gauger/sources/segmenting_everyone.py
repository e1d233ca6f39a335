"""k-means over everyone where they live: begun, iterated, placed and described, by what their place works out."""

import hashlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cached_property
from importlib.metadata import version
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms import order_rows
from gauger.algorithms.kmeans import iterate
from gauger.clustering import (
    about_iterations,
    about_roundness,
    far_customers,
    kmeans_refit,
    segment_by_kmeans,
    tiny_segments,
)
from gauger.columns import Values
from gauger.features import FeatureSet
from gauger.models import GATE_SHARE, Exceptions, LearnedFeature, LearnedSegment, NearestCentre, SegmentModel
from gauger.profiling import Profile
from gauger.progress import task
from gauger.remarks import Remark
from gauger.segmentation import AssignmentRule, FeatureSummary, Segmentation, order_by_size
from gauger.sources.assignments import Assignments
from gauger.sources.learned_everyone import Learned, Workplace, of_sample, treated_alike
from gauger.sources.places import Description, Place, Scaling, Starts
from gauger.wording import Noun

_FEWEST = 10
"""Customers of each segment that a sample has, if there are so many: enough to draw and to describe."""


@dataclass(frozen=True, eq=False)
class LearnedEveryone(Learned):
    """The same, and how everyone is segmented."""

    def segmented(
        self, features: FeatureSet, count: int, *, starts: int, max_iterations: int, seed: int
    ) -> Segmentation:
        """Segments of everyone by k-means, as `segment_by_kmeans` says."""
        return segment_everyone(self, features, Starts(count, starts, max_iterations, seed))


@dataclass(frozen=True, eq=False)
class _KMeansEnd:
    """Where k-means ended: centres (k, d) on the working scale, customers by segment (k,), and how it went."""

    centres: Values
    sizes: NDArray[np.int64]
    history: pd.DataFrame
    starts: pd.DataFrame | None
    converged: bool
    remarks: tuple[Remark, ...]


def segment_everyone(learned: Learned, features: FeatureSet, wanted: Starts) -> Segmentation:
    """Segments of everyone by k-means; the rows of `features` are the sample, which gets the segments of everyone."""
    with learned.table.working() as place:
        found = _as_in_memory(learned, place, features, wanted) if learned.fits else _iterated(learned, place, wanted)
        changed = place.has_changed()
        rows, features = _with_rare_segments(learned, place, features, found)
    names = learned.scaling.columns.names
    codes, distances = NearestCentre.of(found.centres, names).find_segments(np.ascontiguousarray(features.values.T), {})
    for made in (codes, distances):
        made.flags.writeable = False
    seg = Segmentation(
        features,
        codes,
        found.centres,
        distances,
        "k-means",
        iterations=len(found.history),
        converged=found.converged,
        history=found.history,
        starts=found.starts,
        refit=kmeans_refit(wanted.count),
        assignment_rule=AssignmentRule("centre"),
        settings={
            "method": "kmeans",
            "count": wanted.count,
            "starts": wanted.starts,
            "max_iterations": wanted.max_iterations,
            "seed": wanted.seed,
            "out_of_core": True,
            "sample": learned.sampled,
        },
        everyone=SegmentedEveryone(learned, found.centres, found.sizes, wanted.seed, rows),
    )
    remarks = found.remarks if learned.fits else tuple(_remarks(learned, seg, wanted))
    return seg.with_remarks((*_about_change(changed, learned.asked.who), *remarks))


def _with_rare_segments(
    learned: Learned, place: Place, features: FeatureSet, found: _KMeansEnd
) -> tuple[pd.DataFrame, FeatureSet]:
    """The rows of the sample, and their features, with customers of every segment, if customers may be fetched."""
    rows = learned.sample_table
    if learned.whole or not len(rows):
        return rows, features
    bare = bare_model(learned.scaling, found.centres, found.sizes, {}, learned.customers)
    codes, _ = bare.rule.find_segments(np.ascontiguousarray(features.values.T), {})
    seen = np.bincount(codes, minlength=len(found.sizes) + 1)[1:]
    rare = [number for number, size in enumerate(found.sizes, 1) if seen[number - 1] < min(_FEWEST, size)]
    more = place.members(learned.scaling, bare, rare, list(rows.columns), _FEWEST) if rare else rows[:0]
    if not len(more):
        return rows, features
    both = pd.concat([rows, more.astype(rows.dtypes)]).drop_duplicates(features.key, ignore_index=True)
    alike = treated_alike(
        replace(features, keys=both[features.key].to_numpy()), both, features.treatments, features.indicators
    )
    return both, alike


def _as_in_memory(learned: Learned, place: Place, features: FeatureSet, wanted: Starts) -> _KMeansEnd:
    """Everyone segmented as a table in memory is, to the same bits."""
    own = segment_by_kmeans(
        learned.in_memory(place, features),
        wanted.count,
        starts=wanted.starts,
        max_iterations=wanted.max_iterations,
        seed=wanted.seed,
    )
    assert own.history is not None
    return _KMeansEnd(
        own.scaled_centres, own.sizes.to_numpy(), own.history, own.starts, bool(own.converged), own.remarks
    )


def _iterated(learned: Learned, place: Place, wanted: Starts) -> _KMeansEnd:
    """k-means iterated over everyone by exact sums, from where a sample came to."""
    scaling = learned.scaling
    begun = place.started(scaling, wanted)
    with task("k-means over everyone"):
        found = iterate(begun.sums, begun.centres, wanted.max_iterations)
        sizes = begun.sums.sums_at(found.centres).weight
    centres = np.empty_like(found.centres)
    centres[:, begun.order] = found.centres
    by_name = centres[:, scaling.order]
    ranked = order_by_size(sizes, by_name)
    history = pd.DataFrame(
        found.history, columns=["wcss", "moved" if begun.counts_moves else "moved_at_least", "shift"]
    )
    history = history.set_index(pd.RangeIndex(1, len(history) + 1, name="iteration"))
    settled = found.moved == 0 and (begun.counts_moves or found.history[-1][2] == 0.0)
    return _KMeansEnd(centres[ranked], sizes[ranked].astype(np.int64), history, begun.starts, settled, ())


def _remarks(learned: Learned, seg: Segmentation, wanted: Starts) -> Iterator[Remark]:
    """What is known of everyone, then what the sample shows."""
    yield from about_iterations(seg.history, wanted.max_iterations, converged=bool(seg.converged))
    yield from tiny_segments(seg.sizes, seg.customers)
    sample = seg.sample
    if len(np.unique(sample.codes)) == sample.count:
        arranged = order_rows(sample.features.values.T + 0.0, np.arange(len(sample.features.names)))
        seen = [*far_customers(sample), *about_roundness(arranged, sample)]
        yield from of_sample(seen, len(sample.codes), learned.customers, learned.asked.who)


def _about_change(changed: bool, noun: Noun) -> list[Remark]:
    if not changed:
        return []
    text = (
        f"the table has changed while it was segmented: the segments are of its {noun.many} as they were at the start. "
        "Segment them again for those that are there now."
    )
    return [Remark("source-changed", text)]


@dataclass(eq=False)
class SegmentedEveryone:
    """The segments of everyone, where they live. What takes another look at everyone is worked out when it is asked
    for, or while assignments are written."""

    learned: Learned
    centres: Values
    sizes: NDArray[np.int64]
    seed: int
    sample_table: pd.DataFrame
    _seen: Description | None = None

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented."""
        return self.learned.asked.who

    @property
    def table(self) -> Workplace:
        """Where they live."""
        return self.learned.table

    @property
    def scaling(self) -> Scaling:
        """How everyone is treated."""
        return self.learned.scaling

    @property
    def fits(self) -> bool:
        """Whether all of them were segmented as a table in memory is."""
        return self.learned.fits

    @property
    def left_out(self) -> int:
        """How many customers gaps leave out."""
        return self.scaling.survey.rows - self.scaling.survey.kept

    @property
    def overall_squares(self) -> float:
        """The sum of squares of everyone about their middle."""
        return self.learned.customers * float((self.scaling.deviations**2).sum())

    @property
    def explained_by_feature(self) -> NDArray[np.float64]:
        """The share of each feature's variance that lies between segments (d,), by how far their centres are apart."""
        squares = self.sizes @ (self.centres - self.scaling.means) ** 2
        overall = self.learned.customers * self.scaling.deviations**2
        return np.divide(squares, overall, out=np.zeros(len(overall)), where=overall > 0.0)

    def described(self, place: Place, names: Mapping[int, str], target: Any = None) -> Description:
        """Place everyone, into a target if there is one, and keep what was seen."""
        self._seen = place.described(self.scaling, self._bare(names), self.sample_table, target)
        return self._seen

    @cached_property
    def description(self) -> Description:
        """What everyone is like by segment."""
        if self._seen is None:
            with self.learned.table.working() as place:
                self.described(place, {})
        assert self._seen is not None
        return self._seen

    @property
    def wcss_by_segment(self) -> NDArray[np.float64]:
        """Within-segment sum of squares (k,)."""
        return self.description.wcss

    @property
    def profile(self) -> FeatureSummary:
        """What the segments are like."""
        seen, names = self.description, self.scaling.columns.names
        d = len(names)
        means, deviations = seen.moments.of_everyone(of_a_sample=True)
        return FeatureSummary.of(
            names,
            np.vstack([seen.moments.known[:, :d], seen.moments.known_of_everyone()[:d]]),
            np.vstack([seen.moments.means()[:, :d], means[:d]]),
            np.vstack([seen.moments.deviations(of_a_sample=True)[:, :d], deviations[:d]]),
            seen.quartiles,
        )

    def profiled(self, names: Mapping[int, str]) -> Profile | None:
        """What the segments are like in every column, where their place works it out."""
        with self.learned.table.working() as place:
            return place.profiled(self._bare(names), self.scaling.columns, self.noun)

    def assignments(self, names: Mapping[int, str]) -> Assignments:
        """Who is where."""
        model = self._bare(names)
        counts = pd.DataFrame(
            {"name": [one.name for one in model.segments], "customers": self.sizes},
            index=pd.RangeIndex(1, len(self.sizes) + 1, name="segment"),
        )

        def batches() -> Iterator[Any]:
            with self.learned.table.working() as place:
                yield from place.assignments(model, None, self.scaling)

        return Assignments(lambda: (counts, ()), batches, who=self.noun)

    def model(self, names: Mapping[int, str], made_at: datetime | None = None) -> SegmentModel:
        """The model that places other customers as everyone was placed."""
        seen, bare = self.description, self._bare(names)
        distances = seen.moments.means()[:, -1]
        segments = tuple(
            replace(one, customers=int(size), gate=float(gate), mean_distance=float(mean))
            for one, size, gate, mean in zip(bare.segments, seen.sizes, seen.gates, distances, strict=True)
        )
        return replace(
            bare,
            segments=segments,
            features=tuple(self._with_distribution(one, at, seen) for at, one in enumerate(bare.features)),
            made_at=(made_at or datetime.now(UTC)).isoformat(timespec="seconds"),
            fingerprint=self._fingerprint(seen),
        )

    def _bare(self, names: Mapping[int, str]) -> SegmentModel:
        bare = bare_model(self.scaling, self.centres, self.sizes, names, self.learned.customers)
        return replace(bare, seed=self.seed)

    def _with_distribution(self, feature: LearnedFeature, at: int, seen: Description) -> LearnedFeature:
        survey, measures = self.scaling.survey, self.scaling.columns.measures
        low, high = (float(survey.lows[at]), float(survey.highs[at])) if at < len(measures) else (0.0, 1.0)
        means, deviations = seen.moments.of_everyone()
        known = int(seen.moments.known_of_everyone()[at])
        return replace(
            feature,
            low=low,
            high=high,
            mean=float(means[at]),
            standard_deviation=float(deviations[at]),
            missing=1.0 - known / self.learned.customers,
            quartiles=tuple(seen.quartiles[at, -1].tolist()),
            edges=seen.edges[at],
            shares=tuple((np.array(seen.between[at]) / max(known, 1)).tolist()),
        )

    def _fingerprint(self, seen: Description) -> str:
        """SHA-256 over the sums of all keys' hashes and of all values, whatever the order of rows and the parts."""
        survey = self.scaling.survey
        digest = hashlib.sha256(f"{survey.rows} {survey.kept} {survey.check}".encode())
        digest.update(seen.moments.content())
        digest.update("\n".join(self.scaling.columns.names).encode())
        return digest.hexdigest()


def bare_model(
    scaling: Scaling, centres: Values, sizes: NDArray[np.int64], names: Mapping[int, str], customers: int
) -> SegmentModel:
    """A model that can place customers, without the distributions of its features, which are not known yet."""
    columns = scaling.columns
    rule = NearestCentre.of(centres, columns.names)
    features = tuple(
        LearnedFeature(
            name,
            columns.indicators[name].column if name in columns.indicators else name,
            columns.indicators.get(name),
            steps,
            *(np.nan,) * 5,
            quartiles=(),
            edges=(),
            shares=(),
        )
        for name, steps in zip(columns.names, scaling.treatments, strict=True)
    )
    return SegmentModel(
        key=columns.key,
        features=features,
        segments=tuple(
            LearnedSegment(number, names.get(number, f"segment {number}"), int(size), np.nan, np.nan)
            for number, size in enumerate(sizes, 1)
        ),
        rule=rule,
        centres=rule.centres,
        exceptions=Exceptions(np.empty((0, len(columns.names))), np.empty(0, dtype=np.int32)),
        method="k-means",
        customers=customers,
        unassigned=0,
        gate_share=GATE_SHARE,
        made_at="",
        made_by=version("gauger"),
        seed=None,
        fingerprint="",
    )
