"""One pass over all customers once fills, caps and transforms are known: exact moments, and a coreset for k-means.

The coreset is a sample in which a customer's chance is half even and half by the squared distance to the middle
(Bachem, Lucic & Krause 2018), drawn by priorities (Duffield, Lund & Thorup 2007, Journal of the ACM 54(6), 32): a
customer's priority depends on its own values and the hash of its key, so that the same ones are drawn whatever the
parts.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from gauger.algorithms import as_shares, remixed
from gauger.columns import Values
from gauger.features import Cap, Treatment
from gauger.sources.bottom_rows import BottomRows
from gauger.sources.exact_moments import SegmentMoments
from gauger.sources.feature_columns import Steps, treated
from gauger.sources.files.block_reading import Reader
from gauger.sources.files.block_survey import CORESET_SALT
from gauger.sources.files.file_parts import BlockPart
from gauger.tables import hashes_of

CORESET = 50_000
"""Customers that k-means converges on before it sees everyone: its centres are then near enough to the last ones that
one or two passes do (`benchmarks.by_blocks`)."""
_CHANCE = "chance"
"""The column of a coreset that says how likely a customer was to be drawn, against the average one."""


@dataclass(frozen=True, eq=False)
class Draw:
    """How a coreset is drawn: a scale that need not be exact, a middle (d,) and the mean square about it, and the share
    of priorities that is let through."""

    scale: Steps
    middle: Values
    square: float
    share: float

    def of(self, columns: Values, keys: pa.ChunkedArray, names: Sequence[str]) -> BottomRows:
        """Those of some customers, columns (d, n), who may be among the coreset's."""
        gaps = treated(columns, self.scale) - self.middle[:, None]
        squares = np.zeros(columns.shape[1])
        for gap in gaps:
            squares += gap * gap
        chances = 0.5 + 0.5 * (squares / self.square if self.square > 0.0 else np.ones(len(squares)))
        order = as_shares(remixed(hashes_of(keys), CORESET_SALT)) / chances
        taken = np.flatnonzero(order <= self.share)
        rows = {name: column[taken] for name, column in zip(names, columns, strict=True)}
        return BottomRows(CORESET + 1, order[taken], pa.table({**rows, _CHANCE: chances[taken]}))


@dataclass(frozen=True, eq=False)
class MeasuredPart:
    """Moments of features before they are scaled (one segment), how many values caps pull in (d,), and the coreset."""

    moments: SegmentMoments
    capped: NDArray[np.int64]
    drawn: BottomRows

    def __add__(self, other: "MeasuredPart") -> "MeasuredPart":
        return MeasuredPart(self.moments + other.moments, self.capped + other.capped, self.drawn + other.drawn)

    def coreset(self) -> tuple[Values, Values]:
        """The coreset's columns (d, m), before they are scaled, and its weights (m,)."""
        drawn = self.drawn.trimmed()
        columns = np.array([column.to_numpy() for column in drawn.rows.drop_columns([_CHANCE]).columns])
        if len(drawn.order) <= CORESET:
            return columns, np.ones(columns.shape[1])
        chances = drawn.rows[_CHANCE].to_numpy() * drawn.order[-1]
        return np.ascontiguousarray(columns[:, :-1]), 1.0 / np.minimum(chances[:-1], 1.0)


def measure(reader: Reader, steps: Steps, lows: Values, highs: Values, draw: Draw, part: BlockPart) -> MeasuredPart:
    """Look at every customer of a part, after the steps before scaling; their ends (1, d) are known."""
    names = [f"f{index}" for index in range(len(reader.names))]
    found = MeasuredPart(
        SegmentMoments.none(lows, highs),
        np.zeros(len(names), dtype=np.int64),
        BottomRows(CORESET + 1, np.empty(0), pa.table({name: np.empty(0) for name in [*names, _CHANCE]})),
    )
    for block in reader.customers(part, keys=True):
        columns = treated(block.raw, steps)
        codes = np.zeros(block.size, dtype=np.int32)
        assert block.keys is not None
        found += MeasuredPart(
            SegmentMoments.none(lows, highs).with_block(columns, codes),
            np.array([_capped(own, raw) for own, raw in zip(steps, block.raw, strict=True)], dtype=np.int64),
            draw.of(columns, block.keys, names),
        )
    return found


def _capped(steps: Sequence[Treatment], raw: Values) -> int:
    for step in steps:
        if isinstance(step, Cap):
            return int(np.count_nonzero((raw < step.low) | (raw > step.high)))
        raw = step.apply(raw)
    return 0
