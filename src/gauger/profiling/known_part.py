"""Whether a column is known for a biased part of the customers: for many of one segment and few of another."""

from collections.abc import Iterator, Mapping

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtrc

from gauger.algorithms.statistics import LEVEL, chi_square, holm
from gauger.remarks import Remark
from gauger.wording import percent

_APART = 0.1
"""A difference of the shares known between two segments that is worth a remark: chosen by us."""

_NAMED = 4
"""Columns that the remark describes; it carries the names of all."""

Counts = NDArray[np.integer]


def about_known(known: Mapping[str, Counts], customers: Counts, numbers: tuple[int, ...]) -> Iterator[Remark]:
    """A remark on columns that are known more often in one segment than in another, by a chi-squared test (Holm).

    `known` are by column how many customers of each segment (k,) have a value, of `customers` (k,).
    """
    filled = customers > 0
    gaps = {name: own for name, own in known.items() if (own < customers).any()}
    tables = [np.array([own, customers - own])[:, filled] for own in gaps.values()]
    tests = [chi_square(table) for table in tables]
    adjusted = holm(np.array([float(chdtrc(free, found)) if free else 1.0 for found, free in tests]))
    shares = {name: own / np.maximum(customers, 1) for name, own in gaps.items()}
    biased = [
        name for name, p in zip(gaps, adjusted, strict=True) if p < LEVEL and np.ptp(shares[name][filled]) >= _APART
    ]
    if not biased:
        return
    parts = []
    for name in biased[:_NAMED]:
        own = np.where(filled, shares[name], np.nan)
        most, fewest = int(np.nanargmax(own)), int(np.nanargmin(own))
        parts.append(
            f"{name} is known for {percent(own[most])} of segment {numbers[most]} and {percent(own[fewest])} of "
            f"segment {numbers[fewest]}"
        )
    more = f", and {len(biased) - _NAMED} more columns likewise" if len(biased) > _NAMED else ""
    yield Remark(
        "known-for-a-part",
        f"{'; '.join(parts)}{more}: comparisons describe those for whom it is known, who may differ from the others.",
        features=tuple(biased),
    )
