"""Customers that a model has placed: those of a table in memory, and what there is to say of any, by counts."""

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.columns import AnyTable, checked_keys, checked_table
from gauger.features import about_new_levels, new_levels
from gauger.models.assigning import (
    WHYS,
    Assigned,
    about_left_out,
    about_values,
    columns_of,
    find_segments,
    gates_of,
    indicators_of,
    outside_of,
)
from gauger.models.learned import LearnedModel
from gauger.models.magnitudes import Magnitudes, Quartiles
from gauger.remarks import Remark, attach_remarks
from gauger.segmentation import UNASSIGNED_NAME
from gauger.wording import Noun


@dataclass(frozen=True, eq=False)
class AssignmentTally:
    """How many `rows`, by segment from 0 and by reason, and what there is to remark on their values: how many
    are `outside` the learned range, where the `middles` of measures are, and `new` levels."""

    rows: int
    segments: NDArray[np.int64]
    reasons: NDArray[np.int64]
    outside: Mapping[str, int]
    middles: Mapping[str, Quartiles]
    new: Mapping[str, frozenset[str]]

    @classmethod
    def nobody(cls, model: LearnedModel) -> "AssignmentTally":
        """That of no customers."""
        nothing = np.zeros(len(model.segments) + 1, dtype=np.int64)
        return cls(0, nothing, np.zeros(len(WHYS), dtype=np.int64), {}, {}, {})

    @classmethod
    def of(cls, model: LearnedModel, table: pd.DataFrame, placed: Assigned) -> "AssignmentTally":
        """That of a table, or of one block."""
        return cls(
            len(table),
            np.bincount(placed.codes, minlength=len(model.segments) + 1),
            np.bincount(placed.why, minlength=len(WHYS)),
            outside_of(model, placed.raw),
            {one.name: Magnitudes.of(placed.raw[one.name]) for one in model.features if one.indicator is None},
            {name: frozenset(levels) for name, levels in new_levels(table, indicators_of(model)).items()},
        )

    def __add__(self, other: "AssignmentTally") -> "AssignmentTally":
        return AssignmentTally(
            self.rows + other.rows,
            self.segments + other.segments,
            self.reasons + other.reasons,
            Counter(self.outside) + Counter(other.outside),
            {
                name: self.middles[name] + middle if name in self.middles else middle  # type: ignore[operator]
                for name, middle in (other.middles or self.middles).items()
            },
            {
                name: self.new.get(name, frozenset()) | other.new.get(name, frozenset())
                for name in {**self.new, **other.new}
            },
        )

    def table(self, model: LearnedModel) -> pd.DataFrame:
        """Customers by segment, the unassigned last where there are any."""
        return _named(model, self.segments)

    def remarks(self, model: LearnedModel) -> Iterator[Remark]:
        """What there is to say of them, in the order in which `SegmentModel.assign` says it."""
        noun = Noun.of_key(model.key)
        for remark in (
            *about_new_levels({name: set(levels) for name, levels in self.new.items()}, "the model was"),
            *about_values(model, self.outside, self.middles),
            *about_left_out(self.reasons, self.rows),
        ):
            yield replace(remark, text=noun.said(remark.text, remark.features))


def assign_table(model: LearnedModel, table: AnyTable, gate: float | str | None) -> pd.DataFrame:
    """As `SegmentModel.assign` says."""
    table = checked_table(table, columns_of(model))
    keys = checked_keys(table[model.key])
    placed = find_segments(model, table, gates_of(model, gate))
    result = pd.DataFrame(
        {
            model.key: keys.to_numpy(),
            "segment": placed.codes,
            "segment_name": np.array([name for _, name in sorted(model.segment_names.items())], dtype=object)[
                placed.codes
            ],
            "distance": placed.distances,
            "why": np.array(WHYS, dtype=object)[placed.why],
        }
    )
    attach_remarks(result, AssignmentTally.of(model, table, placed).remarks(model))
    return result


def counts_by_segment(model: LearnedModel, codes: "pd.Series[int]") -> pd.DataFrame:
    """Customers by segment, the unassigned last where there are any, from the segment of each."""
    return _named(model, np.bincount(codes, minlength=len(model.segments) + 1))


def _named(model: LearnedModel, segments: NDArray[np.int64]) -> pd.DataFrame:
    names = pd.Index([*range(1, len(segments)), UNASSIGNED_NAME], dtype=object, name="segment")
    called = [*(one.name for one in model.segments), UNASSIGNED_NAME]
    table = pd.DataFrame({"name": called, "customers": np.roll(segments, -1)}, index=names)
    return table if table["customers"].iloc[-1] else table.iloc[:-1]
