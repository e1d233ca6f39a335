"""What a place where customers live must be able to do; everything above is worked out from these answers alone."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
import pandas as pd
import pyarrow as pa
from numpy.typing import NDArray

from gauger.algorithms.kmeans import SumSource
from gauger.columns import Values
from gauger.features import Fill, Preparation, Recipe, Treatment
from gauger.models import AssignmentTally, SegmentModel
from gauger.profiling import Profile
from gauger.remarks import Remark
from gauger.sources.exact_moments import SegmentMoments
from gauger.sources.feature_columns import FeatureColumns, Steps
from gauger.sources.surveys import Survey
from gauger.wording import Noun


class Quantiles(Protocol):
    """The values of a measure, gaps filled: what a share of them is below."""

    def quantile(self, share: float, steps: Sequence[Treatment] = ()) -> float:
        """A quantile of the values after some steps, none of which changes their order."""


class OrderedMeasures(Protocol):
    """Measures whose quantiles are asked for."""

    def medians(self, names: Sequence[str]) -> Mapping[str, float]:
        """The medians of the values that are there."""

    def filled(self, fills: Mapping[str, Fill], shares: Mapping[str, Sequence[float]]) -> Mapping[str, Quantiles]:
        """The quantiles, at these shares, of measures whose gaps are filled."""


@dataclass(frozen=True, eq=False)
class Measured:
    """Moments of everyone's features after some steps (one segment), how many values their caps pull in (d,), and a
    coreset where the place draws one: columns (d, m) after the same steps, and weights (m,)."""

    moments: SegmentMoments
    capped: NDArray[np.int64]
    coreset: tuple[Values, Values] | None = None


@dataclass(frozen=True, eq=False)
class Scaling:
    """How features are read and treated: the columns, every feature's treatments, and what is known of everyone on the
    working scale: `ends` (d, 2), `means` and `deviations` (d,); and the coreset there, if one was drawn."""

    columns: FeatureColumns
    treatments: Steps
    survey: Survey
    ends: Values
    means: Values
    deviations: Values
    coreset: tuple[Values, Values] | None = None

    @property
    def order(self) -> list[int]:
        """The order (d,) in which distances add features up: that of their names."""
        return sorted(range(len(self.columns.names)), key=lambda index: self.columns.names[index])


@dataclass(frozen=True)
class Starts:
    """How k-means is asked to begin and to go on."""

    count: int
    starts: int
    max_iterations: int
    seed: int


@dataclass(frozen=True, eq=False)
class KMeansStart:
    """Centres (k, d) to go on from with everyone; a row of figures for each start; and the sums of everyone at given
    centres. `order` (d,) says which feature each column of theirs is, `counts_moves` whether the sums count who moved,
    rather than how many must have."""

    centres: Values
    starts: pd.DataFrame
    sums: SumSource
    order: Sequence[int]
    counts_moves: bool = True


@dataclass(frozen=True, eq=False)
class Description:
    """Everyone as placed, by segment (k,): moments (k, d + 1) of each feature in original units and, last, of the
    distance; quartiles (d, k + 1, 3), everyone last; `gates` (k,); and of each feature the `edges` of bins, and how
    many values lie between them."""

    moments: SegmentMoments
    quartiles: Values
    gates: Values
    edges: tuple[tuple[float, ...], ...]
    between: tuple[tuple[int, ...], ...]

    @property
    def sizes(self) -> NDArray[np.int64]:
        """Customers by segment (k,)."""
        return self.moments.known[:, -1]

    @property
    def wcss(self) -> NDArray[np.float64]:
        """The sum of squared distances, by segment (k,)."""
        distances = self.moments
        low, spread = distances.lows[:, -1], distances.square_sums()[:, -1]
        total = distances.sums.values(distances.steps)[:, -1]
        return np.asarray(spread + 2.0 * low * total + distances.known[:, -1] * low**2)


class Place(Protocol):
    """Customers in one place, while work is done there."""

    where: str
    """How a sentence says so: "out of core", "in a database"."""

    def numeric(self, asked: Preparation) -> tuple[list[str], list[str]]:
        """The columns that can be measures as they are, and those that cannot."""

    def survey(self, asked: Preparation, recipes: Mapping[str, Recipe], sample: int) -> Survey:
        """The first look; raises for columns, keys and values that will not do."""

    def sample(self, asked: Preparation, seen: Survey, most: int) -> pd.DataFrame:
        """The customers with the smallest hashes of keys, up to so many: the key, the measures, the categories."""

    def few(self, asked: Preparation, seen: Survey) -> pd.DataFrame:
        """Every customer, numbered in place of their keys."""

    def ordered(
        self, columns: FeatureColumns, seen: Survey, shares: Mapping[str, Sequence[float]], sample: pd.DataFrame
    ) -> OrderedMeasures:
        """Measures whose quantiles are asked for, at these shares; a sample says about where they lie."""

    def means(self, columns: FeatureColumns, seen: Survey) -> Values:
        """The means (d,) of the measures' values."""

    def measured(
        self, columns: FeatureColumns, steps: Steps, ends: Values, seen: Survey, guess: Steps, sample: pd.DataFrame
    ) -> Measured:
        """Moments of everyone after some steps, whose values lie between ends (d, 2); `guess` is about how the sample
        would be scaled after them."""

    def started(self, scaling: Scaling, wanted: Starts) -> KMeansStart:
        """Where k-means begins, from some starts on a sample; raises SettingError for too few different customers."""

    def cautions(self, scaling: Scaling) -> Sequence[Remark]:
        """What sums alone say of the features, where no sample of customers says more."""

    def described(self, scaling: Scaling, model: SegmentModel, sample: pd.DataFrame, target: Any) -> Description:
        """Place everyone by a model, into a target of this place if there is one, and look at what came of it."""

    def assigned(self, model: SegmentModel, gates: Values | None, target: Any) -> AssignmentTally:
        """Place other customers by a model, into a target if there is one, and count them; whoever lacks a value is
        unassigned, and says why."""

    def assignments(
        self, model: SegmentModel, gates: Values | None, scaling: Scaling | None
    ) -> Iterator[pa.RecordBatch]:
        """Who is where, in batches: the key, segment, segment_name and distance. Of other customers than those learned
        from, whose scaling is None, also why one is in no segment."""

    def members(
        self, scaling: Scaling, model: SegmentModel, numbers: Sequence[int], names: Sequence[str], most: int
    ) -> pd.DataFrame:
        """Some columns of up to `most` customers of each of some segments; none where no rows may be fetched."""

    def profiled(self, model: SegmentModel, columns: FeatureColumns, noun: Noun) -> Profile | None:
        """What segments are like in every column of the table; None where a sample must do."""

    def has_changed(self) -> bool:
        """Whether others have written there since the work began."""
