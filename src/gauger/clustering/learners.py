"""Who moves the centres: everyone, those whose weight is above zero, or a seeded sample of them."""

import numpy as np
from numpy.typing import ArrayLike, NDArray

from gauger.algorithms import RowOrder, Stream
from gauger.errors import SettingError

Values = NDArray[np.float64]


def checked_weights(weights: ArrayLike | None, customers: int) -> Values | None:
    """Weights (n,) as floats; raises SettingError unless they are one each, 0 or more, and not all 0."""
    if weights is None:
        return None
    try:
        own = np.array(weights, dtype=np.float64)
    except (TypeError, ValueError):
        raise SettingError("customer_weights must be numbers, one for each customer.") from None
    if own.shape != (customers,):
        raise SettingError(f"customer_weights have shape {own.shape}, for {customers:,} customers: give one each.")
    if not np.isfinite(own).all() or own.min() < 0.0:
        index = int(np.flatnonzero(~(np.isfinite(own) & (own >= 0.0)))[0])
        raise SettingError(f"customer_weights must be 0 or more; the one of customer {index + 1} is {own[index]:g}.")
    if not own.any():
        raise SettingError("every weight is 0: nobody would count.")
    own.flags.writeable = False
    return own


def checked_share(learn_on: float | None, customers: int) -> int | None:
    """How many customers to learn on; None for all. Raises SettingError for what is no count and no share."""
    if learn_on is None:
        return None
    if isinstance(learn_on, bool) or not isinstance(learn_on, (int, float, np.integer, np.floating)):
        raise SettingError(f"learn_on={learn_on!r} must be a number of customers, or a share between 0 and 1.")
    if 0.0 < learn_on < 1.0:
        return max(1, round(learn_on * customers))
    if learn_on < 1 or learn_on != int(learn_on):
        raise SettingError(f"learn_on={learn_on!r} must be a whole number of customers, or a share between 0 and 1.")
    return int(learn_on) if learn_on < customers else None


def learners_among(everyone: RowOrder, size: int | None, seed: int) -> RowOrder:
    """The customers to learn on; `everyone` itself when that is all of them."""
    counting = np.flatnonzero(everyone.weights > 0.0)
    learners = everyone if len(counting) == everyone.size else everyone.part(counting)
    if size is None or size >= learners.size:
        return learners
    return learners.part(learners.sample(size, Stream.LEARNERS.generator(seed)))


def other_sample(everyone: RowOrder, learners: RowOrder, seed: int) -> RowOrder:
    """Another sample as large as the learners, of those who are not among them as far as there are enough."""
    counting = np.flatnonzero(everyone.weights > 0.0)
    rest = counting[~np.isin(everyone.order[counting], learners.order)]
    drawn = rest if len(rest) >= learners.size else counting
    rng = Stream.OTHER_LEARNERS.generator(seed)
    return everyone.part(np.sort(rng.choice(drawn, size=learners.size, replace=False)))
