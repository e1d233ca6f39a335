"""Segmentation: the one result that every method returns."""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.columns import CustomerRows
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.hooks import model_of
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation.aligning import numbers_like
from gauger.segmentation.everyone_segmented import EveryoneSegmented
from gauger.segmentation.feature_summary import FeatureSummary
from gauger.wording import Noun, listed, plural

UNASSIGNED, UNASSIGNED_NAME = 0, "unassigned"
"""The code and the name of who is in no segment."""

Codes = NDArray[np.int32]
Distances = NDArray[np.float64]


@dataclass(frozen=True)
class Refit:
    """The same method for other customers on the same scale: `segment(features, seed)` gives their codes (n,).

    `sampled` says whether fewer customers than there were will do; density needs all of them.
    """

    segment: Callable[[FeatureSet, int], Codes]
    sampled: bool = True


@dataclass(frozen=True)
class AssignmentRule:
    """How other customers find their segment: `way` is "centre" (the nearest), "customer" (the segment of the nearest
    one that was learned from), "core" (of the nearest core customer within `radius`) or "bands" (the same bands)."""

    way: str
    metric: str = "euclidean"
    radius: float | None = None


@dataclass(frozen=True, repr=False, eq=False)
class Segmentation(CustomerRows, Readable):
    """Which customer is in which segment: the one result that every method returns.

    Attributes
    ----------
    features : FeatureSet
        What was segmented.
    codes : numpy.ndarray of int32 (n_customers,)
        Each customer's segment, 1 for the largest; 0 for unassigned.
    scaled_centres : numpy.ndarray (n_segments, n_features)
        The centres on the working scale; `.centres` has them in original units, by segment number.
    distances : numpy.ndarray (n_customers,)
        From each customer to the own centre, on the working scale; NaN for the unassigned.
    method : str
        How it was made.
    remarks : tuple of Remark
        The cautions.
    iterations : int, optional
        By k-means: how many were done.
    converged : bool, optional
        By k-means: whether the last iteration moved nobody.
    history : pandas.DataFrame, optional
        By k-means: a row an iteration with wcss after it, moved (customers that changed segment) and shift (the longest
        way a centre went, working scale).
    starts : pandas.DataFrame, optional
        By k-means: a row for each start that came to something of its own: seeding, trial_wcss (on the sample of the
        race), and for those that were finished iterations and wcss; chosen marks the one that counts.
    customer_weights : numpy.ndarray (n_customers,), optional
        By k-means: those given.
    details : pandas.DataFrame, optional
        By density and bands: further columns of `.assignments`, a row a customer.
    branches, departures : pandas.DataFrame, optional
        By density levels: their hierarchy, as `segment_by_density_levels` tells.
    edges : mapping, optional
        By bands: for each feature, where each band but the first begins, in original units.
    refit : Refit, optional
        How the method segments other customers, for trying whether segments come back.
    assignment_rule : AssignmentRule, optional
        How other customers find their segment; None where that is not known, as for segments from a file.
    own_names : mapping
        By bands: what the method itself calls the segments.
    given_names : mapping
        The names given by `rename`.
    everyone : EveryoneSegmented, optional
        Of an OpenTable: everyone's segments, where they live. Sizes, sums of squares, centres, history, model, profile
        and assignments are then of everyone, and `features`, `codes` and `distances` of the sample.
    settings : mapping
        What it takes to make it again from the same features: the method and its settings; with "not_repeatable" a
        sentence that says why that cannot be told.

    See Also
    --------
    segment_by_kmeans, segment_by_density, segment_by_density_levels, segment_by_bands, build_tree : Make one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2)
    >>> seg.count, seg.sizes.tolist(), seg.centres["visits"].tolist(), seg.wcss
    (2, [3, 2], [10.0, 1.5], 2.5)
    """

    features: FeatureSet
    codes: Codes
    scaled_centres: NDArray[np.float64]
    distances: NDArray[np.float64]
    method: str
    remarks: tuple[Remark, ...] = ()
    iterations: int | None = None
    converged: bool | None = None
    history: pd.DataFrame | None = None
    starts: pd.DataFrame | None = None
    customer_weights: NDArray[np.float64] | None = None
    details: pd.DataFrame | None = None
    branches: pd.DataFrame | None = None
    departures: pd.DataFrame | None = None
    edges: Mapping[str, tuple[float, ...]] | None = None
    refit: Refit | None = None
    assignment_rule: AssignmentRule | None = None
    own_names: Mapping[int, str] = field(default_factory=dict)
    given_names: Mapping[int, str] = field(default_factory=dict)
    settings: Mapping[str, object] = field(default_factory=dict)
    everyone: EveryoneSegmented | None = None

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented."""
        return self.features.noun if self.everyone is None else self.everyone.noun

    @property
    def customers(self) -> int:
        """Number of customers in all, the unassigned among them."""
        return len(self.codes) if self.everyone is None else int(self.everyone.sizes.sum())

    @property
    def sample(self) -> "Segmentation":
        """The customers at hand with their segments: everyone in memory, else the sample."""
        if self.everyone is None:
            return self
        return replace(self, features=replace(self.features, everyone=None), everyone=None)

    @property
    def count(self) -> int:
        """Number of segments."""
        return len(self.scaled_centres)

    @property
    def numbers(self) -> pd.Index:
        """The segments' numbers, from 1, as an index named "segment"."""
        return pd.RangeIndex(1, self.count + 1, name="segment")

    @cached_property
    def names(self) -> dict[int, str]:
        """Each segment's name by number: the given one, else the method's, else "segment 1"; 0 is "unassigned"."""
        plain = {number: f"segment {number}" for number in self.numbers}
        return {UNASSIGNED: UNASSIGNED_NAME, **plain, **self.own_names, **self.given_names}

    @cached_property
    def sizes(self) -> pd.Series:
        """Customers by segment number; the unassigned are not among them."""
        counts = np.bincount(self.codes, minlength=self.count + 1)[1:] if self.everyone is None else self.everyone.sizes
        return pd.Series(counts, index=self.numbers, name="customers")

    @cached_property
    def centres(self) -> pd.DataFrame:
        """Centres in original units: a row a segment, a column a feature."""
        return self.features.restore(self.scaled_centres).set_index(self.numbers)

    @cached_property
    def wcss_by_segment(self) -> pd.Series:
        """Within-segment sum of squares on the working scale, by segment number; each customer by its weight."""
        if self.everyone is not None:
            return pd.Series(self.everyone.wcss_by_segment, index=self.numbers, name="wcss")
        own = self.distances**2 if self.customer_weights is None else self.distances**2 * self.customer_weights
        squares = [math.fsum(own[self.codes == number]) for number in self.numbers]
        return pd.Series(squares, index=self.numbers, name="wcss")

    @property
    def wcss(self) -> float:
        """Within-cluster sum of squares: squared distances to the own centre, added up; lower means tighter."""
        return math.fsum(self.wcss_by_segment)

    @cached_property
    def explained(self) -> float:
        """Share of everyone's sum of squares that the segments account for, the unassigned left aside.

        0 when they say nothing, 1 when all customers stand in their centres; NaN when all customers are alike, or none
        is in a segment.
        """
        if self.everyone is not None:
            overall = self.everyone.overall_squares
            return max(0.0, 1.0 - self.wcss / overall) if overall else np.nan
        assigned = self.codes > 0
        if not assigned.any():
            return np.nan
        values = self.features.values[assigned]
        weights = np.ones(len(values)) if self.customer_weights is None else self.customer_weights[assigned]
        total = math.fsum(weights)
        middle = [math.fsum(column) / total for column in (values * weights[:, None]).T]
        overall = math.fsum(weights * ((values - middle) ** 2).sum(axis=1))
        return max(0.0, 1.0 - self.wcss / overall) if overall else np.nan

    @cached_property
    def explained_by_feature(self) -> pd.Series:
        """Share of each feature's variance that lies between segments, 0 to 1; 0 for a feature without variance.

        Over the assigned customers, each counting once.
        """
        features = pd.Index(self.features.names, name="feature")
        if self.everyone is not None:
            return pd.Series(self.everyone.explained_by_feature, index=features, name="explained")
        own = self.codes[self.codes > 0]
        shares = []
        for column in self.features.values[self.codes > 0].T:
            centred = column - column.mean() if column.size else column
            sums = np.bincount(own, weights=centred, minlength=self.count + 1)[1:]
            overall = float((centred**2).sum())
            shares.append(float((sums**2 / self.sizes).sum()) / overall if overall else 0.0)
        return pd.Series(shares, index=features, name="explained")

    @cached_property
    def profile(self) -> FeatureSummary:
        """What the segments are like in their features: `.means`, `.standard_deviations`, `.lower_quartiles`,
        `.medians`, `.upper_quartiles`, and `.known`, how many have a value. `gauger.profile` says more."""
        if self.everyone is not None:
            return self.everyone.profile
        return FeatureSummary.of_customers(self.features.original, self.codes, self.count)

    @cached_property
    def model(self) -> Any:
        """The `SegmentModel` that other customers are assigned by, as `build_model` makes it."""
        return model_of(self)

    @cached_property
    def assignments(self) -> Any:
        """Who is where: the key, segment (number), segment_name, distance (to the own centre), and `.details`.

        A DataFrame with one row per customer; of an OpenTable a handle, whose `.to_arrow()` gives everyone in batches.
        """
        if self.everyone is not None:
            return self.everyone.assignments(self.names)
        table = pd.DataFrame(
            {
                self.features.key: self.features.keys,
                "segment": self.codes,
                "segment_name": pd.Series(self.codes).map(self.names).to_numpy(),
                "distance": self.distances,
            }
        )
        return table if self.details is None else pd.concat([table, self.details], axis=1)

    def customer_rows(self) -> pd.DataFrame:
        """The assignments."""
        if self.everyone is not None:
            return self.assignments.to_pandas()  # type: ignore[no-any-return]
        return self.assignments  # type: ignore[no-any-return]

    def rename(self, names: Mapping[int, str]) -> "Segmentation":
        """Give some segments other names.

        Parameters
        ----------
        names : mapping
            Names by number, such as `{1: "now and then"}`.

        Returns
        -------
        Segmentation
            The same one with these names.

        Raises
        ------
        SettingError
            For a segment that does not exist, an empty name, or one that another segment has.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
        >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
        >>> seg.rename({2: "now and then"}).names
        {0: 'unassigned', 1: 'segment 1', 2: 'now and then'}
        """
        strangers = [str(number) for number in names if number not in self.numbers]
        if strangers:
            present = f"they run from 1 to {self.count}" if self.count else "nobody is in one"
            raise SettingError(f"there is no segment {listed(strangers, last='or')}: {present}.")
        if not all(isinstance(name, str) and name.strip() for name in names.values()):
            raise SettingError("a segment's name must be text and not empty.")
        renamed = replace(self, given_names={**self.given_names, **names})
        twice = [name for name in names.values() if list(renamed.names.values()).count(name) > 1]
        if twice:
            raise SettingError(f"two segments would be called {twice[0]!r}. Give each its own name.")
        return renamed

    def aligned_to(self, old: "Segmentation") -> "Segmentation":
        """Number and name segments like those of an earlier segmentation, so that "segment 3" keeps its meaning.

        Customers are matched by key, segments one to one so that the most customers are in both. A segment that matches
        takes the number, where there are as many segments, and the name that was given; the others get the numbers that
        are left, from the largest.

        Parameters
        ----------
        old : Segmentation
            The earlier one.

        Returns
        -------
        Segmentation
            The same segments with the old one's numbers and names.

        Raises
        ------
        SettingError
            When no customer is in a segment of both.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcdef"), "visits": [1, 2, 3, 20, 21, 22]})
        >>> old = gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2)
        >>> later = gauger.prepare(table.assign(visits=[1, 2, 22, 20, 21, 22]), key="who", scale="none")
        >>> gauger.segment_by_kmeans(later, 2).codes.tolist()
        [2, 2, 1, 1, 1, 1]
        >>> gauger.segment_by_kmeans(later, 2).aligned_to(old).codes.tolist()
        [1, 1, 2, 2, 2, 2]
        """
        if self.everyone is not None:
            raise SettingError(
                "segments of an open table keep their numbers, for they are written where the customers live: give "
                "them the names of the earlier ones (rename)."
            )
        matched, number = numbers_like(
            (self.features.keys, self.codes, self.count), (old.features.keys, old.codes, old.count)
        )
        codes = number[self.codes]
        codes.flags.writeable = False
        details = self.details
        if details is not None and "nearest_segment" in details.columns:
            near = pd.Series(number).reindex(details["nearest_segment"].fillna(0).astype(int)).to_numpy()
            kept = pd.Series(near).astype("Int64").mask(details["nearest_segment"].isna().to_numpy())
            details = details.assign(nearest_segment=kept)
        branches = self.branches
        if branches is not None:
            branches = branches.assign(segment=number[branches["segment"].to_numpy()])
        return replace(
            self,
            codes=codes,
            scaled_centres=self.scaled_centres[np.argsort(number[1:])],
            details=details,
            branches=branches,
            own_names={int(number[one]): name for one, name in self.own_names.items()},
            given_names={
                int(number[one]): old.names[other] for one, other in matched.items() if other in old.given_names
            },
        )

    def with_remarks(self, remarks: tuple[Remark, ...]) -> "Segmentation":
        """Add remarks.

        Parameters
        ----------
        remarks : tuple of Remark
            More of them.

        Returns
        -------
        Segmentation
            The same one with these too.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
        >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
        >>> seg.with_remarks((gauger.Remark("own", "checked by hand"),)).remarks[-1].code
        'own'
        """
        return replace(self, remarks=(*self.remarks, *remarks))

    def headline(self) -> str:
        left = self.customers - int(self.sizes.sum())
        rest = f", {left:,} unassigned" if left else ""
        many = self.noun.counted(self.customers)
        return f"{self.count} {plural(self.count, 'segment')} of {many} by {self.method}{rest}"

    def overview(self) -> pd.DataFrame:
        labels = pd.Series(self.names, name="name").reindex(self.numbers)
        return pd.concat([labels, self.sizes, self.centres], axis=1)
