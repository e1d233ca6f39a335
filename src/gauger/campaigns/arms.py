"""Who is held out, by a keyed hash; and what a holdout can show."""

import hashlib
import math

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy.special import ndtri

from gauger.algorithms.statistics import LEVEL

CONTACTED, HOLDOUT = "contacted", "holdout"

POWER = 0.8
"""How often a hand-off's smallest uplift would be found: the usual convention."""


def arms(keys: pd.Index, segments: NDArray[np.integer], share: float, campaign: str, seed: int) -> NDArray[np.object_]:
    """Each customer's arm (n,): of every segment the exact share is held out, rounded by largest remainder.

    Those held out are the first by a hash of campaign, seed and key, so that neither the order of rows nor other
    segments' customers change anything, and another campaign draws afresh. (Within a segment the line moves by one
    customer at most when another comes or goes.)
    """
    found = np.full(len(keys), CONTACTED, dtype=object)
    marks = np.array([_mark(key, campaign, seed) for key in keys.tolist()], dtype=object)
    numbers, own = np.unique(segments, return_inverse=True)
    sizes = np.bincount(own, minlength=len(numbers))
    for at, held in enumerate(_held(sizes, share).tolist()):
        indices = np.flatnonzero(own == at)
        found[indices[np.argsort(marks[indices], kind="stable")[:held]]] = HOLDOUT
    return found


def _mark(key: object, campaign: str, seed: int) -> str:
    """A customer's mark in a campaign: HMAC-like, the campaign and seed are the key."""
    secret = hashlib.blake2b(f"{seed}\n{campaign}".encode(), digest_size=32).digest()
    return hashlib.blake2b(str(key).encode(), key=secret, digest_size=16).hexdigest()


def _held(sizes: NDArray[np.integer], share: float) -> NDArray[np.intp]:
    """How many of each segment, adding up to the share of all, by largest remainder; ties go to the larger segment."""
    wanted = sizes * share
    held = np.floor(wanted + 1e-9).astype(np.intp)
    rest = math.floor(float(sizes.sum()) * share + 0.5) - int(held.sum())
    order = np.lexsort((-sizes, -np.round(wanted - held, 9)))
    held[order[: max(rest, 0)]] += 1
    return np.asarray(np.minimum(held, sizes))


def detectable_uplift(contacted: int, held: int, base_rate: float, segments: int = 1) -> float:
    """The smallest uplift (as a share) that a two-sided test at 5 %, over so many segments together, finds in 80 of
    100 such campaigns; NaN without a holdout, or when none below certainty would do.

    Two shares by the normal approximation: Fleiss, Levin & Paik (2003), Statistical Methods for Rates and Proportions.
    """
    if not contacted or not held:
        return math.nan
    line, reach = float(ndtri(1.0 - LEVEL / segments / 2.0)), float(ndtri(POWER))

    def found(uplift: float) -> bool:
        treated = base_rate + uplift
        middle = (contacted * treated + held * base_rate) / (contacted + held)
        same = math.sqrt(middle * (1.0 - middle) * (1.0 / contacted + 1.0 / held))
        apart = math.sqrt(treated * (1.0 - treated) / contacted + base_rate * (1.0 - base_rate) / held)
        return uplift >= line * same + reach * apart

    low, high = 0.0, 1.0 - base_rate
    if not found(high):
        return math.nan
    for _ in range(60):
        middle = (low + high) / 2.0
        low, high = (low, middle) if found(middle) else (middle, high)
    return high
