"""Contingency tables: how rows are divided in two ways, how groups match, and how far the two agree."""

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

Codes = NDArray[np.integer]
Counts = NDArray[np.int64]
Values = NDArray[np.float64]


def contingency_table(one: Codes, other: Codes, groups: tuple[int, int] | None = None) -> Counts:
    """How many rows are in each group of the one division (n,) and of the other (n,): (k, m), groups from 0.

    `groups` says how many each has, by default as many as occur.
    """
    k, m = groups or (int(one.max(initial=-1)) + 1, int(other.max(initial=-1)) + 1)
    return np.bincount(one.astype(np.int64) * m + other, minlength=k * m).reshape(k, m)


def best_match(table: Counts) -> dict[int, int]:
    """For each row of a contingency table the column that it matches, one to one, so that the most rows are in both.

    Groups that share nobody match nobody.
    """
    ours, theirs = linear_sum_assignment(table, maximize=True)
    pairs = zip(ours.tolist(), theirs.tolist(), strict=True)
    return {one: other for one, other in pairs if table[one, other]}


def jaccard_overlaps(table: Counts) -> Values:
    """The rows that two groups share over those in either, for each cell of a contingency table: (k, m), 0 to 1.

    Jaccard (1912), New Phytologist 11(2), 37-50.
    """
    either = table.sum(axis=1)[:, None] + table.sum(axis=0) - table
    return np.asarray(table / np.maximum(either, 1))


def purity(table: Counts) -> float:
    """The share of rows that are in the largest cell of their group of the first division: 1 when groups lie inside."""
    return float(table.max(axis=1).sum() / table.sum())


def adjusted_rand(one: Codes, other: Codes) -> float:
    """The adjusted Rand index of two divisions (n,): 1 when they are the same, 0 on average for divisions by chance.

    The share of pairs on which both agree, corrected for chance; below 0 when they agree less than by chance. 1 for
    two divisions that both have one group, or both only groups of one.

    Hubert & Arabie (1985), Journal of Classification 2, 193-218.
    """
    table = contingency_table(one, other).astype(np.float64)
    together = _pairs(table).sum()
    in_one, in_other = _pairs(table.sum(axis=1)).sum(), _pairs(table.sum(axis=0)).sum()
    by_chance = in_one * in_other / max(_pairs(np.array(float(len(one)))), 1.0)
    most = (in_one + in_other) / 2.0
    return float((together - by_chance) / (most - by_chance)) if most > by_chance else 1.0


def _pairs(sizes: Values) -> Values:
    return np.asarray(sizes * (sizes - 1.0) / 2.0)
