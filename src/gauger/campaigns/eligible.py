"""Who may be contacted: one reason for everyone who may not, in an order that is always the same."""

from collections.abc import Sequence

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.errors import ColumnValuesError
from gauger.wording import plural

NOT_CHOSEN, UNASSIGNED_STEP, NO_CONTACT = "segment not chosen", "unassigned", "not in contacts"
NO_CONSENT, SUPPRESSED, NO_ADDRESS, DUPLICATE = "no consent", "suppressed", "no address", "duplicate"
BELOW, HELD_OUT, CONTACTED = "below minimum", "holdout", "contacted"
STEPS = (
    *(UNASSIGNED_STEP, NOT_CHOSEN, NO_CONTACT, NO_CONSENT, SUPPRESSED, NO_ADDRESS, DUPLICATE, BELOW, HELD_OUT),
    CONTACTED,
)
DUPLICATE_RULE = (
    "contacts with the same e-mail address (whatever its case and, unless these are kept apart, its sub-address) or "
    "the same telephone number, in whatever form they are written, also by way of a third, are one person; of those "
    "who may be contacted the one with the lowest key goes."
)

_YES = frozenset({"1", "1.0", "true", "t", "yes", "y"})
_NO = frozenset({"0", "0.0", "false", "f", "no", "n"})

Mask = NDArray[np.bool_]


def yes_in(table: pd.DataFrame, column: str) -> Mask:
    """Where a column says yes (n,): 1, true or yes; a gap is no. Raises ColumnValuesError for other words."""
    return answers_in(table, column)[0]


def answers_in(table: pd.DataFrame, column: str) -> tuple[Mask, Mask]:
    """Where a column says yes, and where it says no in so many words (n,); a gap says neither."""
    words = table[column].map(lambda value: str(value).strip().lower(), na_action="ignore")
    odd = sorted(set(words.dropna()) - _YES - _NO)
    if odd:
        raise ColumnValuesError(
            f"{column!r} must say yes or no (1 or 0, true or false), and has {len(odd):,} other "
            f"{plural(len(odd), 'word')}."
        )
    return words.isin(_YES).to_numpy(dtype=np.bool_), words.isin(_NO).to_numpy(dtype=np.bool_)


def first_of_each(persons: NDArray[np.intp], keys: Sequence[object], among: Mask) -> Mask:
    """Who of some customers is the first of their person by key (n,), others being duplicates."""
    order = sorted(np.flatnonzero(among).tolist(), key=lambda index: _in_order(keys[index]))
    firsts: dict[int, int] = {}
    for index in order:
        firsts.setdefault(int(persons[index]), index)
    found = np.zeros(len(persons), dtype=np.bool_)
    found[list(firsts.values())] = True
    return found


def _in_order(key: object) -> tuple[bool, float, str]:
    """Where a key stands among others: numbers by size, before other text."""
    text = str(key).strip()
    try:
        return False, float(text), text
    except ValueError:
        return True, 0.0, text
