"""Where k-means starts from: k-means++ (Arthur & Vassilvitskii 2007)."""

import numpy as np
from numpy.typing import NDArray

from gauger.clustering.blocks import BLOCK_ROWS, map_blocks
from gauger.clustering.kernels import shrink_block
from gauger.errors import SettingError, plural

Values = NDArray[np.float64]


def seed_plusplus(columns: Values, count: int, rng: np.random.Generator) -> Values:
    """`count` customers as first centres (count, d), each drawn far from those before; `columns` are (d, n).

    The first is drawn evenly, each next with a probability proportional to its squared distance to the nearest centre
    so far. O(n d count). Raises SettingError when there are fewer than `count` distinct rows.

    Arthur & Vassilvitskii (2007), Proc. 18th ACM-SIAM Symposium on Discrete Algorithms, 1027-1035.
    """
    n = columns.shape[1]
    closest = np.full(n, np.inf)
    chosen = [int(rng.integers(n))]
    for _ in range(count - 1):
        sums = _shrink(columns, columns[:, chosen[-1]].copy(), closest)
        if not any(sums):
            raise SettingError(
                f"{count} segments asked for, but the customers have only {len(chosen)} distinct "
                f"{plural(len(chosen), 'combination')} of feature values. Ask for at most {len(chosen)}."
            )
        chosen.append(_draw(closest, np.array(sums), rng.random()))
    return np.ascontiguousarray(columns[:, chosen].T)


def _shrink(columns: Values, centre: Values, closest: Values) -> list[float]:
    """Lower `closest` to the distance from one more centre; the sum of each block."""

    def of_block(rows: slice) -> float:
        return float(shrink_block(columns, rows.start, rows.stop, centre, closest))

    return list(map_blocks(of_block, columns.shape[1]))


def _draw(weights: Values, block_sums: Values, at: float) -> int:
    """The row where the running sum of `weights` passes the share `at` of the total; never one of weight zero."""
    until = np.cumsum(block_sums)
    target = at * until[-1]
    block = min(int(np.searchsorted(until, target, side="right")), len(until) - 1)
    start = block * BLOCK_ROWS
    within = np.cumsum(weights[start : start + BLOCK_ROWS])
    row = start + int(np.searchsorted(within, target - (until[block] - block_sums[block]), side="right"))
    if row < len(weights) and weights[row] > 0.0:
        return row
    positive = np.flatnonzero(weights)
    return int(positive[min(int(np.searchsorted(positive, row)), len(positive) - 1)])
