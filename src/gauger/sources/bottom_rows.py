"""A sample that depends on the keys alone: the customers whose hashes are the smallest, whatever order they come in."""

from dataclasses import dataclass

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from gauger.columns import stacked

_SPARE = 1.25
"""How many times the expected share is let through: far more standard errors than can be missed, and little work."""


def share_let_through(size: int, rows: int | None) -> float:
    """The share of hashes that surely holds the `size` smallest of so many; 1 where nobody knows how many there are."""
    return 1.0 if rows is None or rows <= size else min(1.0, _SPARE * size / rows)


@dataclass(frozen=True, eq=False)
class BottomRows:
    """The rows with the smallest numbers, up to `size` of them: `order` (n,) the numbers, `rows` a table alike."""

    size: int
    order: NDArray[np.float64]
    rows: pa.Table

    @property
    def limit(self) -> float:
        """A number above which no other row can be among the smallest."""
        return float(self.order[: self.size].max()) if len(self.order) >= self.size else np.inf

    def __add__(self, other: "BottomRows") -> "BottomRows":
        rows = stacked([self.rows, other.rows])
        joined = BottomRows(self.size, np.concatenate([self.order, other.order]), rows)
        return joined.trimmed() if len(joined.order) > 2 * self.size else joined

    def trimmed(self, size: int | None = None) -> "BottomRows":
        """No more than `size` rows, in the order of their numbers."""
        order = np.argsort(self.order, kind="stable")[: size or self.size]
        return BottomRows(self.size, self.order[order], self.rows.take(pa.array(order)))
