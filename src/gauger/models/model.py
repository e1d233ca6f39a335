"""SegmentModel: all that it takes to treat other customers and find their segments."""

from collections.abc import Mapping
from dataclasses import dataclass
from os import PathLike
from pathlib import Path

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.errors import SettingError
from gauger.features import Indicator, Treatment
from gauger.models.rules import Rule
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME
from gauger.wording import plural

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class LearnedFeature:
    """One feature as it was learned: what it is made from, its treatments, and how its values were distributed.

    `column` is the column it comes from, `indicator` what it says of it, if it is one. `low` and `high` are the range
    of the values, `mean` and `spread` (standard deviation) in original units, `missing` the share without a value.
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
    spread: float
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
class SegmentModel(Readable):
    """A segmentation that can be saved, loaded and applied to other customers; made by `build_model`.

    `.key` names the key column, `.features` what was learned of each, `.segments` of each segment, `.rule` how a
    customer finds one, `.centres` (k, d) are the segments' on the working scale. `.method`, `.made_at` (when, ISO
    8601), `.made_by` (Gauger's version), `.seed`, `.customers` (learned from) and `.fingerprint` (SHA-256 of keys and
    working values, in whatever order they came) say where it comes from.
    """

    key: str
    features: tuple[LearnedFeature, ...]
    segments: tuple[LearnedSegment, ...]
    rule: Rule
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
    def gates(self) -> Values:
        """Each segment's gate (k,): the distance that all but a small share of its own customers keep."""
        return np.array([segment.gate for segment in self.segments])

    def assign(self, table: pd.DataFrame, *, gate: float | str | None = None) -> pd.DataFrame:
        """Customers of a table with their segments: the key, segment, segment_name, distance and why.

        The customers that the model was learned from get the segments that they had, exactly. Others are treated with
        what was learned, and find their segment by the model's rule; `distance` is on the working scale, to the centre
        of the segment or, for merge trees and density, to the nearest customer learned from.

        `gate` is how far a customer may be from the segment: None for any distance, "learned" for each segment's own
        gate, or a number. `why` says why a customer is in none: "missing" (a value that the model has no rule for),
        "gate", "radius" (no core customer near), "among unassigned" (the nearest was in none) or "bands" (a combination
        that nobody had); it is empty for the others.

        Columns that the model does not need are left aside. `gauger.remarks_of(result)` tells of new levels, values
        beyond the learned range, columns that look as if their unit had changed, and who is in no segment.

        Raises UnknownColumnError for a column that is not there, ColumnValuesError for what is no number,
        KeyColumnError when keys are missing or repeat, and SettingError for a gate that is none.
        """
        from gauger.models.assigning import assign

        return assign(self, table, gate)

    def sql(self, table: str, *, dialect: str = "postgres", gate: float | str | None = None) -> str:
        """One SELECT that treats and assigns the rows of a database's table: key, segment, segment_name, distance, why.

        `dialect` is postgres, duckdb, sqlite, mysql, bigquery, snowflake, redshift, tsql or spark (the first three are
        tested), `table` may have its schema before a point, `gate` is as for `assign`. Segments are those of `assign`
        but for customers as near to two centres as numbers can tell, who may be in either; distances agree to nine
        digits.

        Raises SettingError for another dialect, and for models of trees and density: no SELECT finds the nearest of
        thousands of customers.
        """
        from gauger.models.sql import assign_sql

        return assign_sql(self, table, dialect, gate)

    def save(self, path: str | PathLike[str], *, replace: bool = False) -> Path:
        """Write the model as JSON (.json, docs/model.schema.json tells its form), or as PMML 4.4 (.pmml).

        PMML carries k-means without a gate only. Raises SettingError for another ending and for what PMML cannot carry,
        OutputError as `write_table` does.
        """
        from gauger.models.files import save_model
        from gauger.models.pmml import save_pmml

        file = Path(path)
        if file.suffix not in (".json", ".pmml"):
            raise SettingError(f"{file.name}: a model is written as .json, or as .pmml.")
        return (save_model if file.suffix == ".json" else save_pmml)(self, file, replace=replace)

    def headline(self) -> str:
        count = len(self.segments)
        return (
            f"model of {count} {plural(count, 'segment')} by {self.method}, learned from {self.customers:,} "
            f"{plural(self.customers, 'customer')} with {len(self.features)} {plural(len(self.features), 'feature')}"
        )

    def overview(self) -> pd.DataFrame:
        rows = [(one.number, one.name, one.customers, one.gate, one.mean_distance) for one in self.segments]
        columns = ["segment", "name", "customers", "gate", "mean_distance"]
        return pd.DataFrame(rows, columns=columns).set_index("segment")
