"""MergeTree: who is joined with whom, at what height, and the segments that a cut leaves."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property, partial

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms import fixed_generator
from gauger.algorithms.distances import Geometry
from gauger.algorithms.merge_trees import (
    Merges,
    branches_after,
    cophenetic_distances,
    highest_below,
    inverted,
    leaf_order,
    sizes_of,
)
from gauger.algorithms.neighbours import SLACK
from gauger.clustering.method_words import linkage_words
from gauger.clustering.segment_cautions import tiny_segments
from gauger.clustering.tree_cautions import about_level_cut, about_one_segment, about_ties
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import AssignmentRule, Codes, Refit, Segmentation, number_by_size, segmentation_from_codes
from gauger.wording import Noun, listed, short_number

MOST_COMPARED = 3_000
"""Leaves that the cophenetic correlation compares: 4.5 million pairs."""

IN_DISTANCE = "Ward's height, in units of distance"

_NEARBY = 4
"""Heights that a message offers."""

Values = NDArray[np.float64]


def cut_refit(regrown: Callable[[FeatureSet], "MergeTree"], count: int) -> Refit:
    """The same kind of tree of other customers, cut into as many segments."""
    return Refit(partial(_refit_cut, regrown, count))


def _refit_cut(regrown: Callable[[FeatureSet], "MergeTree"], count: int, features: FeatureSet, _seed: int) -> Codes:
    return regrown(features).cut(count=min(count, len(features.keys))).codes


@dataclass(frozen=True, repr=False, eq=False)
class MergeTree(Readable):
    """Customers (or features) joined two by two until all are one, made by `build_tree`.

    Attributes
    ----------
    features : FeatureSet
        What it was built from.
    of : {"customers", "features"}
        What was joined.
    linkage, metric : str
        How.
    height_words : str
        What heights measure.
    leaf_names : numpy.ndarray (leaves,)
        The keys, the features' names, or for a tree on micro-segments their numbers.
    leaf_of : numpy.ndarray (n,)
        In which leaf each customer or feature is.
    distances : Geometry
        The distances between leaves.
    steps : Merges
        The merges as arrays.
    rebuilt : callable
        Builds it anew with every leaf moved by a billionth, to see whether ties decide.
    regrown : callable, optional
        Builds the same kind of tree of other customers; None where distances were given.
    remarks : tuple of Remark
        The cautions.
    settings : mapping
        What it takes to build it again.

    See Also
    --------
    build_tree : Makes one.
    study_counts : With `method="tree"` advises where to cut.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [0, 1, 4, 6, 12]})
    >>> tree = gauger.build_tree(gauger.prepare(table, key="who", scale="none"), linkage="average")
    >>> tree.merges["height"].tolist()
    [1.0, 2.0, 4.5, 9.25]
    """

    features: FeatureSet
    of: str
    linkage: str
    metric: str
    height_words: str
    leaf_names: NDArray[np.generic]
    leaf_of: NDArray[np.intp]
    steps: Merges
    distances: Geometry
    rebuilt: Callable[[], Merges]
    regrown: Callable[[FeatureSet], "MergeTree"] | None = None
    remarks: tuple[Remark, ...] = ()
    settings: Mapping[str, object] = field(default_factory=dict)

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented."""
        return self.features.noun

    @property
    def leaves(self) -> int:
        """How many leaves there are."""
        return self.steps.leaves

    @cached_property
    def merges(self) -> pd.DataFrame:
        """A row a merge: step (from 1 to leaves - 1), left, right, height, size and jump.

        left and right are what is joined: below leaves a leaf's place in `.leaf_names`, else leaves - 1 + s for the
        branch that step s made; left is drawn to the left. size counts customers (or features). jump is how much higher
        the next merge is; after step s there are leaves - s segments, and a large jump speaks for them.
        """
        height = self.steps.height
        jump = np.append(np.diff(height), np.nan)
        size = sizes_of(self.steps, np.bincount(self.leaf_of, minlength=self.leaves).astype(np.float64))[self.leaves :]
        columns = {"step": np.arange(1, self.leaves), "left": self.steps.left, "right": self.steps.right}
        return pd.DataFrame({**columns, "height": height, "size": size.astype(np.int64), "jump": jump})

    @cached_property
    def leaf_order(self) -> NDArray[np.int64]:
        """The leaves from left to right, as places in `.leaf_names`."""
        return leaf_order(self.steps)

    @cached_property
    def inversions(self) -> NDArray[np.intp]:
        """The steps whose merge lies below one of the branches it merges (centroid and median linkage only)."""
        return inverted(self.steps) + 1

    def cophenetic(self) -> Values:
        """Give the height at which each two leaves are first together.

        Returns
        -------
        numpy.ndarray (leaves (leaves - 1) / 2,)
            Condensed by rows above the diagonal. O(n²) memory.

        References
        ----------
        Sokal & Rohlf (1962), Taxon 11(2), 33-40.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abc"), "visits": [0, 1, 4]})
        >>> gauger.build_tree(gauger.prepare(table, key="who", scale="none"), linkage="single").cophenetic().tolist()
        [1.0, 3.0, 3.0]
        """
        return cophenetic_distances(self.steps, np.arange(self.leaves))

    @cached_property
    def cophenetic_correlation(self) -> float:
        """Pearson's r between leaves' distances and the heights at which they meet: 1 when the tree tells them exactly.

        Of more than 3,000 leaves, a seeded sample of 3,000 is compared. NaN when either does not vary. It compares the
        tree with the distances, not with the truth.
        """
        rows = np.arange(self.leaves)
        if self.leaves > MOST_COMPARED:
            rows = self.leaf_order[np.sort(fixed_generator().choice(self.leaves, MOST_COMPARED, replace=False))]
        met = cophenetic_distances(self.steps, rows)
        apart = self.distances.between(rows, rows)[np.triu_indices(len(rows), k=1)]
        met, apart = met - met.mean(), apart - apart.mean()
        length = float(np.sqrt((met @ met) * (apart @ apart)))
        return float(met @ apart) / length if length > 0.0 else np.nan

    def groups(self, *, count: int | None = None, height: float | None = None) -> pd.Series:
        """Give each customer's or feature's group after a cut.

        Parameters
        ----------
        count : int, optional
            How many groups.
        height : float, optional
            Or at which height to cut.

        Returns
        -------
        pandas.Series
            The group, from 1 for the largest, by key or by the feature's name.

        Raises
        ------
        SettingError
            As `cut` does.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": range(4), "a": [1, 2, 3, 4], "b": [1, 2, 3, 5], "c": [2, 9, 1, 3]})
        >>> tree = gauger.build_tree(gauger.prepare(table, key="who"), of="features")
        >>> tree.groups(count=2).to_dict()
        {'a': 1, 'b': 1, 'c': 2}
        """
        number = self._numbered(self._whole(count, height), self.steps)
        names = self.features.keys if self.of == "customers" else np.array(self.features.names, dtype=object)
        return pd.Series(number, index=pd.Index(names, name=self._leaf_word), name="group")

    def cut(self, *, count: int | None = None, height: float | None = None) -> Segmentation:
        """Turn the tree into segments by undoing its last merges.

        Parameters
        ----------
        count : int, optional
            How many segments.
        height : float, optional
            Or at which height to cut, in the tree's own units: what was joined up to there stays together.

        Returns
        -------
        Segmentation
            Cuts nest: with one segment more, one segment is divided and the others stay. Remarks tell of tiny segments,
            of one that holds nearly everyone, and of ties that decide who is where.

        Raises
        ------
        SettingError
            Unless exactly one of both is given; for a count below 1 or above the number of leaves; for a height outside
            the tree's (with what nearby heights give); and for a tree of features, which has `groups` instead.

        Notes
        -----
        Where a merge lies below one of the branches it joins, a height keeps a branch together only when nothing in it
        is higher.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcde"), "visits": [0, 1, 4, 6, 12]})
        >>> gauger.build_tree(gauger.prepare(table, key="who", scale="none")).cut(height=3.0).codes.tolist()
        [1, 1, 2, 2, 3]
        """
        if self.of != "customers":
            raise SettingError("segments are of customers, and this tree is of features: use tree.groups(count=).")
        whole = self._whole(count, height)
        codes = self._numbered(whole, self.steps)
        seg = segmentation_from_codes(self.features, codes, method=self.linkage_words)
        seg = replace(
            seg,
            assignment_rule=AssignmentRule("customer", self.metric),
            settings={**self.settings, "count": count, "height": height},
        )
        if self.regrown is not None:
            seg = replace(seg, refit=cut_refit(self.regrown, seg.count))
        return seg.with_remarks(
            (*tiny_segments(seg.sizes, len(seg.codes)), *about_one_segment(seg), *self._tied(seg, whole))
        )

    def counts_near(self, height: float) -> dict[float, int]:
        """Give some heights around one, between merges, and how many segments a cut at each gives.

        Parameters
        ----------
        height : float
            Any height.

        Returns
        -------
        dict
            Segments by height.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcde"), "visits": [0, 1, 4, 6, 12]})
        >>> tree = gauger.build_tree(gauger.prepare(table, key="who", scale="none"), linkage="average")
        >>> tree.counts_near(4.0)
        {1.5: 4, 3.25: 3, 6.875: 2}
        """
        levels = np.unique(highest_below(self.steps))
        middles = (levels[:-1] + levels[1:]) / 2.0
        index = int(np.searchsorted(middles, height))
        start = max(0, min(index - _NEARBY // 2, len(middles) - _NEARBY))
        return {float(at): self.count_at(at) for at in middles[start : start + _NEARBY]}

    def count_at(self, height: float) -> int:
        """Give how many segments (or groups) are not joined yet at a height.

        Parameters
        ----------
        height : float
            Any height, inside or outside the tree's.

        Returns
        -------
        int
            From the number of leaves down to 1.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcde"), "visits": [0, 1, 4, 6, 12]})
        >>> gauger.build_tree(gauger.prepare(table, key="who", scale="none")).count_at(3.0)
        3
        """
        return self.leaves - int(np.count_nonzero(highest_below(self.steps) <= height))

    def height_of(self, count: int) -> float:
        """Give a height at which a cut leaves so many segments.

        Parameters
        ----------
        count : int
            How many segments.

        Returns
        -------
        float
            Halfway between the merges below and above.

        Raises
        ------
        SettingError
            For a count that no height gives.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcde"), "visits": [0, 1, 4, 6, 12]})
        >>> gauger.build_tree(gauger.prepare(table, key="who", scale="none"), linkage="average").height_of(3)
        3.25
        """
        self._refuse_count(count)
        heights = self.steps.height
        below = heights[self.leaves - count - 1] if count < self.leaves else 0.0
        above = heights[self.leaves - count] if count > 1 else heights[-1] + 0.05 * abs(heights[-1])
        return float(below + above) / 2.0

    @property
    def linkage_words(self) -> str:
        """The linkage as a sentence has it: Ward's linkage, average linkage."""
        return linkage_words(self.linkage)

    def headline(self) -> str:
        customers = len(self.leaf_of)
        joined = self.noun if self.of == "customers" else Noun("feature", "features")
        many = joined.counted(customers)
        if self.leaves < customers:
            many += f" in {self.leaves:,} micro-segments"
        low, high = (short_number(float(height)) for height in (self.steps.height[0], self.steps.height[-1]))
        scale = "" if self.height_words in (IN_DISTANCE, self.distances.words) else f" ({self.height_words})"
        return f"Tree of {many} by {self.linkage_words} and {self.distances.words}: heights {low} to {high}{scale}"

    def overview(self) -> pd.DataFrame:
        last = self.merges.tail(10).set_index("step")
        return last.assign(segments=self.leaves - last.index)[["segments", "height", "jump", "size"]]

    @property
    def _leaf_word(self) -> str:
        return self.features.key if self.of == "customers" else "feature"

    def _whole(self, count: int | None, height: float | None) -> NDArray[np.bool_]:
        """Which merges a cut keeps."""
        if (count is None) == (height is None):
            raise SettingError("say how to cut: either count=, the number of segments, or height=.")
        if count is not None:
            self._refuse_count(count)
            return np.arange(self.leaves - 1) < self.leaves - count
        assert height is not None
        self._refuse_height(height)
        return highest_below(self.steps) <= height

    def _refuse_count(self, count: int) -> None:
        if isinstance(count, bool) or not isinstance(count, (int, np.integer)) or not 1 <= count <= self.leaves:
            unit = "micro-segments" if self.leaves < len(self.leaf_of) else self.of
            raise SettingError(
                f"count={count!r} must be a whole number from 1 to {self.leaves:,}: there are {self.leaves:,} {unit}."
            )

    def _refuse_height(self, height: float) -> None:
        if isinstance(height, bool) or not isinstance(height, (int, float, np.integer, np.floating)):
            raise SettingError(f"height={height!r} must be a number.")
        low, high = float(self.steps.height.min()), float(self.steps.height.max())
        if not low <= height <= high:
            offers = [f"{short_number(at)} gives {count}" for at, count in self.counts_near(height).items()]
            near = f" Nearby, a height of {listed(offers, most=_NEARBY)} segments." if offers else ""
            raise SettingError(
                f"height={height:g} is outside the tree: merges lie between {low:.6g} and {high:.6g} "
                f"({self.height_words}).{near}"
            )

    def _numbered(self, whole: NDArray[np.bool_], merges: Merges) -> Codes:
        """Each customer's segment, from 1 for the largest."""
        branch = branches_after(merges, whole)[self.leaf_of]
        _, first, codes, sizes = np.unique(branch, return_index=True, return_inverse=True, return_counts=True)
        centres = first[:, None].astype(np.float64)
        if self.of == "customers":
            by_name = sorted(range(len(self.features.names)), key=lambda index: self.features.names[index])
            sums = [np.bincount(codes, weights=self.features.values[:, index]) for index in by_name]
            centres = np.column_stack(sums) / sizes[:, None]
        return number_by_size(codes, centres)[0]

    def _tied(self, seg: Segmentation, whole: NDArray[np.bool_]) -> Iterator[Remark]:
        kept = np.count_nonzero(whole)
        last, following = self.steps.height[kept - 1 : kept + 1].tolist() if 0 < kept < len(whole) else (0.0, 1.0)
        if abs(following - last) <= SLACK * following:
            yield about_level_cut(following)
        elif self.steps.tied:
            yield from about_ties(seg.codes, self._numbered(np.arange(len(whole)) < kept, self._shifted))

    @cached_property
    def _shifted(self) -> Merges:
        return self.rebuilt()
