"""Correlation between columns, gaps allowed, and an order that puts what moves together side by side."""

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]

_BLOCK = 65_536
"""Rows a step, so that squares are summed near to where they fit; decides nothing but memory."""

_ROUNDED, _ROUNDED_A_ROW = 1e-14, float(np.finfo(np.float64).eps)
"""Shares of a sum of squares, in all and for each row, below which a spread is no more than what rounding leaves of a
column that does not vary: the second bounds the error of a sum, the first is judgement, for few rows."""


def correlation_matrix(values: Matrix) -> Matrix:
    """Pearson's r between columns (n_rows, n_columns), each pair over the rows that have both: (n_columns, n_columns).

    1 means that two columns rise together in proportion, -1 that one falls as the other rises. NaN where a pair has
    fewer than two rows in common or a column does not vary over them; 1 on the diagonal of columns that vary.
    O(n d^2) by blocks of rows.
    """
    n_columns = values.shape[1]
    with np.errstate(invalid="ignore"):
        centre = np.array([_mean(values[:, index]) for index in range(n_columns)])
        width = np.array([_largest(values[:, index] - centre[index]) for index in range(n_columns)])
    products, sums, squares, common = (np.zeros((n_columns, n_columns)) for _ in range(4))
    for start in range(0, len(values), _BLOCK):
        block = (values[start : start + _BLOCK] - centre) / width
        present = ~np.isnan(block)
        if present.all():
            ones = np.ones((len(block), 1))
            products += block.T @ block
            sums += block.T @ ones
            squares += (block * block).T @ ones
            common += len(block)
        else:
            block = np.where(present, block, 0.0)
            there = present.astype(np.float64)
            products += block.T @ block
            sums += block.T @ there
            squares += (block * block).T @ there
            common += there.T @ there
    with np.errstate(invalid="ignore", divide="ignore"):
        spread = squares - sums * sums / common
        spread[spread <= np.maximum(_ROUNDED, _ROUNDED_A_ROW * common) * squares] = np.nan
        r = (products - sums * sums.T / common) / np.sqrt(spread * spread.T)
    return np.clip(r, -1.0, 1.0)


def correlation_order(r: Matrix) -> list[int]:
    """An order of the columns of a correlation matrix that keeps large |r| together.

    A chain: it begins with the closest pair and grows, at whichever end is closer, by the column most like that end;
    ties go to the earlier column.
    """
    likeness = np.abs(np.nan_to_num(r))
    np.fill_diagonal(likeness, -1.0)
    n_columns = len(r)
    if n_columns < 2:
        return list(range(n_columns))
    chain = [int(index) for index in np.unravel_index(int(likeness.argmax()), likeness.shape)]
    left = [index for index in range(n_columns) if index not in chain]
    while left:
        ends = [(likeness[chain[side], index], side, index) for side in (-1, 0) for index in left]
        best = max(ends, key=lambda end: end[0])
        chain.insert(0 if best[1] == 0 else len(chain), best[2])
        left.remove(best[2])
    return chain


def _mean(column: Matrix) -> float:
    present = column[~np.isnan(column)]
    return float(present.mean()) if present.size else 0.0


def _largest(shifts: Matrix) -> float:
    largest = float(np.nanmax(np.abs(shifts), initial=0.0))
    return largest or 1.0
