"""What a count study needs of a method: segments for each count, and what stands for the customers in criteria."""

from collections.abc import Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms import Stream, fixed_generator
from gauger.algorithms.diagnostics import (
    SAMPLE,
    sample_by_segment,
    sampled_silhouettes,
    silhouettes_in_sample,
)
from gauger.algorithms.distances import principal_coordinates
from gauger.algorithms.kmeans import (
    Fitter,
    KmeansFitter,
    LloydResult,
    compile_kmeans,
    race,
    seed_plusplus,
    split_centres,
)
from gauger.algorithms.merge_trees import TreeFitter
from gauger.choosing.advice import CountAdvice
from gauger.choosing.criteria import MOST_CUSTOMERS as MOST_RESAMPLED
from gauger.choosing.criteria import sampled_columns
from gauger.choosing.cuts import advice_on_cuts
from gauger.choosing.evidence import MOST_CUSTOMERS, Evidence
from gauger.choosing.group_table import SEEN_IN_FEATURES, GroupTable, group_table
from gauger.clustering import (
    MergeTree,
    about_roundness,
    finish_best,
    order_customers,
    refuse_too_few_distinct,
    segmentation_of,
)
from gauger.features import FeatureSet
from gauger.remarks import Remark
from gauger.segmentation import Segmentation

_MOST_PLACED, _MOST_MEASURED = 1_500, 4_000
"""Customers that are placed by principal coordinates, O(n³), and that are measured by all distances:
judgement."""

_MOST_AXES, _LEAST_AXIS = 6, 0.05
"""Principal coordinates kept, and the least share of the first one's variance that each must have: judgement."""

Values = NDArray[np.float64]
Made = Mapping[int, Segmentation]


class _OnFeatures:
    """What the methods have in common: customers in an order that row order cannot change, measured by their features.

    `own` and `fitter` segment small tables the same way, for the criteria.
    """

    own: Fitter
    fitter: Fitter

    def __init__(self, features: FeatureSet, seed: int) -> None:
        self._features, self._seed = features, seed
        compile_kmeans()
        self.everyone = order_customers(features)

    def for_criteria(self) -> Values:
        """Customers as columns (d, n), at most 2,500, for the criteria that resample."""
        return sampled_columns(self.everyone, self._seed)

    def for_evidence(self) -> tuple[GroupTable, list[str]]:
        """Customers, at most 4,000 and the same for every seed, to look for groups in; what each column is part of."""
        sample = self.everyone.sample(MOST_CUSTOMERS, fixed_generator())
        return group_table(self._features, self.everyone, sample)

    def own_measures(self, _count: int) -> dict[str, float]:
        """What only this method can tell of a count."""
        return {}

    def heed(self, advice: CountAdvice, _evidence: Evidence, _made: Made) -> CountAdvice:
        """The advice once this method's own segments are looked at."""
        return advice

    def about_shapes(self, _seg: Segmentation) -> tuple[Remark, ...]:
        """Remarks on the shape of the advised segments."""
        return ()

    def measured_on(self, exact_up_to: int) -> int:
        """How many customers silhouettes are measured on."""
        customers = self.everyone.size
        return customers if customers <= exact_up_to else min(SAMPLE, customers)

    def silhouette(self, seg: Segmentation, exact_up_to: int) -> tuple[float, float]:
        """The mean silhouette and its standard error."""
        codes = seg.codes[self.everyone.order]
        chosen = sample_by_segment(codes, exact_up_to, self._seed)
        return sampled_silhouettes(self.everyone.columns[:, chosen], codes[chosen], seg.sizes.to_numpy())[1:]


class ByKmeans(_OnFeatures):
    """k-means from raced starts, each count also from the one before it with a segment split."""

    def __init__(self, features: FeatureSet, starts: int, max_iterations: int, seed: int) -> None:
        super().__init__(features, seed)
        self._starts, self._max_iterations = starts, max_iterations
        self.own, self.fitter = KmeansFitter(4), KmeansFitter(2)

    def refuse_too_many(self, count: int) -> None:
        """Raise SettingError for more segments than there can be."""
        refuse_too_few_distinct(len(self.everyone.distinct()), count)

    def about_shapes(self, seg: Segmentation) -> tuple[Remark, ...]:
        """A remark where density shows groups that are not round."""
        return tuple(about_roundness(self.everyone, seg))

    def segment_each(self, counts: list[int]) -> Iterator[tuple[int, Segmentation]]:
        """Everyone's segments by rising count."""
        everyone = self.everyone
        previous: LloydResult | None = None
        for count in counts:
            stream = np.random.SeedSequence(self._seed)
            entrants = race(everyone, count, seed_plusplus, "kmeans++", self._starts, stream)
            splits = []
            if previous is not None and len(previous.centres) == count - 1:
                splits = split_centres(everyone.columns, everyone.weights, previous.codes, previous.centres)
            fit = finish_best(everyone, entrants, self._max_iterations, splits=splits)
            previous = fit.best
            yield count, segmentation_of(self._features, everyone, everyone, fit, self._max_iterations, seed=self._seed)


class ByTree(_OnFeatures):
    """Cuts of one merge tree.

    Under another metric than the Euclidean, silhouettes are by that metric, and everything else is measured on points
    whose Euclidean distances come near to the tree's: those that the metric has, else at most 1,500 customers along
    the principal coordinates of their distances.
    """

    def __init__(self, tree: MergeTree, seed: int) -> None:
        super().__init__(tree.features, seed)
        self.tree = tree
        self.own = TreeFitter(tree.linkage)
        self.fitter = self.own
        self._placed = self.everyone.order
        self._points = None if tree.metric == "euclidean" else self._standing()

    def _standing(self) -> Values:
        """The customers as points, in an order that row order cannot change."""
        if self.tree.leaves < len(self._placed):
            return self.everyone.columns.T
        if self.tree.distances.points is not None:
            return self.tree.distances.points[self._placed]
        self._placed = self._placed[self.everyone.sample(_MOST_PLACED, fixed_generator())]
        between = self.tree.distances.between(self._placed, self._placed)
        return principal_coordinates(between, _MOST_AXES, least_share=_LEAST_AXIS)

    def _sampled(self, most: int, rng: np.random.Generator) -> NDArray[np.intp]:
        n = len(self._placed)
        return np.arange(n) if n <= most else np.sort(rng.choice(n, most, replace=False))

    def for_criteria(self) -> Values:
        """Customers as columns, at most 2,500."""
        if self._points is None:
            return super().for_criteria()
        rows = self._sampled(MOST_RESAMPLED, Stream.EMBEDDED_SAMPLE.generator(self._seed))
        return np.ascontiguousarray(self._points[rows].T)

    def for_evidence(self) -> tuple[GroupTable, list[str]]:
        """Customers by their features, or for metrics that look elsewhere as points, whose axes have no names."""
        if self._points is None or self.tree.metric in SEEN_IN_FEATURES or self.tree.leaves < self.everyone.size:
            return super().for_evidence()
        rows = self._sampled(MOST_CUSTOMERS, fixed_generator())
        return GroupTable(self._points[rows], self._placed[rows], one_scale=True), []

    def refuse_too_many(self, count: int) -> None:
        """Raise SettingError for more segments than the tree has leaves."""
        self.tree.height_of(count)

    def segment_each(self, counts: list[int]) -> Iterator[tuple[int, Segmentation]]:
        """The tree's cut by count."""
        for count in counts:
            yield count, self.tree.cut(count=count)

    def own_measures(self, count: int) -> dict[str, float]:
        """How much higher the merge to one segment fewer is than the last one kept; NaN where there is none."""
        jumps = self.tree.merges["jump"].to_numpy()
        return {"merge_jump": float(jumps[self.tree.leaves - count - 1]) if count < self.tree.leaves else np.nan}

    def heed(self, advice: CountAdvice, evidence: Evidence, made: Made) -> CountAdvice:
        """Whether the cut at the advised count shows the groups."""
        return advice_on_cuts(advice, evidence, made, self.tree)

    def measured_on(self, exact_up_to: int) -> int:
        """How many customers silhouettes are measured on."""
        if self._points is None:
            return super().measured_on(exact_up_to)
        return min(self.everyone.size, exact_up_to, _MOST_MEASURED)

    def silhouette(self, seg: Segmentation, exact_up_to: int) -> tuple[float, float]:
        """By the tree's metric."""
        if self._points is None:
            return super().silhouette(seg, exact_up_to)
        order = self.everyone.order
        codes = seg.codes[order]
        chosen = sample_by_segment(codes, self.measured_on(exact_up_to), self._seed, size=_MOST_MEASURED)
        leaf, own = self.tree.leaf_of[order[chosen]], codes[chosen] - 1
        apart = self.tree.distances.between(leaf, leaf)
        sums = apart @ np.equal.outer(own, np.arange(seg.count)).astype(np.float64)

        def weighted(looked: NDArray[np.intp], weights: Values) -> Values:
            return np.asarray((apart[looked] * weights.T[own[looked]]).sum(axis=1))

        return silhouettes_in_sample(sums, own, seg.sizes.to_numpy(), weighted)[1:]
