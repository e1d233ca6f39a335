"""How far two ways of dividing the same customers agree."""

import numpy as np
from numpy.typing import NDArray

Codes = NDArray[np.integer]


def adjusted_rand(one: Codes, other: Codes) -> float:
    """The adjusted Rand index of two divisions (n,): 1 when they are the same, 0 on average for divisions by chance.

    The share of pairs on which both agree, corrected for chance; below 0 when they agree less than by chance. 1 for
    two divisions that both have one group, or both only groups of one.

    Hubert & Arabie (1985), Journal of Classification 2, 193-218.
    """
    both = np.zeros((int(one.max()) + 1, int(other.max()) + 1))
    np.add.at(both, (one, other), 1.0)
    together = _pairs(both).sum()
    in_one, in_other = _pairs(both.sum(axis=1)).sum(), _pairs(both.sum(axis=0)).sum()
    by_chance = in_one * in_other / max(_pairs(np.array(float(len(one)))), 1.0)
    most = (in_one + in_other) / 2.0
    return float((together - by_chance) / (most - by_chance)) if most > by_chance else 1.0


def _pairs(sizes: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(sizes * (sizes - 1.0) / 2.0)
