"""What a model has learned: of each feature, of each segment, and how a customer finds one."""

from collections.abc import Mapping
from dataclasses import dataclass
from hashlib import sha256

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.features import Indicator, Treatment
from gauger.models.assignment_rules import Assigner, SameBands
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME
from gauger.wording import Noun, plural

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class LearnedFeature:
    """One feature as it was learned: what it is made from, its treatments, and how its values were distributed.

    `column` is the column it comes from, `indicator` what it says of it, if it is one. `low` and `high` are the range
    of the values, `mean` and `standard_deviation` in original units, `missing` the share without a value.
    `quartiles` are those of the values. `edges` part them into bins of about a tenth of the customers each, values that
    many have in bins of their own, and `shares` are those of the bins.
    `unit` is what values are counted in, where that is known.
    """

    name: str
    column: str
    indicator: Indicator | None
    treatments: tuple[Treatment, ...]
    low: float
    high: float
    mean: float
    standard_deviation: float
    missing: float
    quartiles: tuple[float, ...]
    edges: tuple[float, ...]
    shares: tuple[float, ...]
    unit: str | None = None


@dataclass(frozen=True)
class LearnedSegment:
    """One segment as it was learned: its number, name and customers, its gate, and the mean of their distances."""

    number: int
    name: str
    customers: int
    gate: float
    mean_distance: float


@dataclass(frozen=True, eq=False)
class Exceptions:
    """Learned customers whose segment the rule does not tell, such as one halfway between two: `points` (m, d) on the
    working scale, and their `codes` (m,)."""

    points: Values
    codes: NDArray[np.int32]


@dataclass(frozen=True, repr=False, eq=False)
class LearnedModel(Readable):
    """All that it takes to treat other customers and find their segments; `SegmentModel` tells what each part is."""

    key: str
    features: tuple[LearnedFeature, ...]
    segments: tuple[LearnedSegment, ...]
    rule: Assigner
    centres: Values
    exceptions: Exceptions
    method: str
    customers: int
    unassigned: int
    gate_share: float
    made_at: str
    made_by: str
    seed: int | None
    fingerprint: str
    remarks: tuple[Remark, ...] = ()

    @property
    def names(self) -> tuple[str, ...]:
        """The features' names."""
        return tuple(feature.name for feature in self.features)

    @property
    def segment_names(self) -> Mapping[int, str]:
        """What each segment is called, by number; 0 is "unassigned"."""
        return {UNASSIGNED: UNASSIGNED_NAME, **{segment.number: segment.name for segment in self.segments}}

    @property
    def identity(self) -> str:
        """What tells this model from every other, whatever its segments are called: 16 hexadecimal digits."""
        told = f"{self.fingerprint} {self.made_at} {self.key}".encode() + np.ascontiguousarray(self.centres).tobytes()
        return sha256(told).hexdigest()[:16]

    @property
    def gates(self) -> Values:
        """Each segment's gate (k,): the distance that all but a small share of its own customers keep."""
        return np.array([segment.gate for segment in self.segments])

    @property
    def band_edges(self) -> Mapping[str, tuple[float, ...]] | None:
        """Where each band but the first of each feature begins, in original units; None but by bands."""
        return {own.feature: own.edges for own in self.rule.bands} if isinstance(self.rule, SameBands) else None

    def headline(self) -> str:
        count = len(self.segments)
        learned_from = Noun.of_key(self.key).counted(self.customers)
        return (
            f"model of {count} {plural(count, 'segment')} by {self.method}, learned from {learned_from} with "
            f"{len(self.features)} {plural(len(self.features), 'feature')}"
        )

    def overview(self) -> pd.DataFrame:
        rows = [(one.number, one.name, one.customers, one.gate, one.mean_distance) for one in self.segments]
        columns = ["segment", "name", "customers", "gate", "mean_distance"]
        return pd.DataFrame(rows, columns=columns).set_index("segment")
