"""Which row of the contacts speaks for a customer who has several."""

from collections.abc import Iterator, Sequence

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from pandas.api import types

from gauger.columns import AnyTable, checked_table, refuse_missing_key
from gauger.errors import KeyColumnError, SettingError, UnknownColumnError
from gauger.remarks import Remark
from gauger.wording import data_rows, plural

REFUSE, FIRST, LAST, NEWEST, EVERY = "refuse", "first", "last", "newest", "every"
_WAYS = (REFUSE, FIRST, LAST, "newest COLUMN", EVERY)

Mask = NDArray[np.bool_]


def newest_column(contact: str) -> str | None:
    """The column that "newest COLUMN" names, None for another way; raises SettingError for what is none."""
    way, _, column = contact.strip().partition(" ") if isinstance(contact, str) else ("", "", "")
    if (way == NEWEST) != bool(column.strip()) or way not in (REFUSE, FIRST, LAST, NEWEST, EVERY):
        raise SettingError.not_one_of("contact", contact, _WAYS)
    return column.strip() or None


def contacts_of(
    contacts: AnyTable, key: str, needed: Sequence[str | None], contact: str
) -> tuple[pd.DataFrame, list[Remark]]:
    """The contacts, indexed by key and without exact copies; raises for a row without a key or a column that lacks."""
    newest = newest_column(contact)
    asked = [key, *dict.fromkeys(name for name in (*needed, newest) if name is not None and name != key)]
    table = checked_table(contacts)
    lacking = [name for name in asked if name not in table.columns]
    if lacking and lacking == [needed[0]]:
        raise UnknownColumnError(
            f"the contacts have no column {needed[0]!r}: consent is required, not assumed. Name the column that has it "
            "(consent='…'), or say consent=None if none is needed (on the command line: --consent none)."
        )
    if lacking:
        raise UnknownColumnError.among(asked, list(table.columns))
    refuse_missing_key(table[key])
    copies = table.astype(object).duplicated().to_numpy()
    if contact == REFUSE:
        _refuse_several(table[key], copies)
    kept = table[~copies]
    return kept.set_index(key, drop=False).rename_axis(index=None), list(_about(kept[key], copies, contact))


def rows_that_speak(contacts: pd.DataFrame, contact: str, allowed: Mask) -> NDArray[np.intp]:
    """The place of one row for each key of the contacts (n,): with "every" the first that is `allowed` (n,), if any."""
    places, newest = np.arange(len(contacts)), newest_column(contact)
    if newest is not None:
        places = np.argsort(_ages(contacts[newest]), kind="stable")
    elif contact == LAST:
        places = places[::-1]
    elif contact == EVERY:
        places = np.argsort(~allowed, kind="stable")
    keys = pd.Series(contacts.index[places])
    return np.sort(places[~keys.duplicated().to_numpy()])


def _ages(column: pd.Series) -> NDArray[np.intp]:
    """The rank of each value, 0 for the newest; rows without one are the oldest."""
    if not (
        types.is_datetime64_any_dtype(column) or (types.is_numeric_dtype(column) and not types.is_bool_dtype(column))
    ):
        raise SettingError(
            f"{column.name!r} holds no dates or numbers: no row can be the newest by it. Name another column "
            "(contact='newest COLUMN'), or say how its dates are written (--dates)."
        )
    return np.asarray(column.rank(method="dense", ascending=False, na_option="bottom"), dtype=np.intp)


def _refuse_several(keys: pd.Series, copies: Mask) -> None:
    """Raise KeyColumnError where different rows have one key."""
    repeated = keys.duplicated().to_numpy() & ~copies
    if repeated.any():
        own = keys[~copies]
        many = int(own[own.duplicated(keep=False)].nunique())
        raise KeyColumnError(
            f"in the contacts {many:,} {plural(many, 'customer')} by {str(keys.name)!r} "
            f"{plural(many, 'has', 'have')} several different rows ({data_rows(np.flatnonzero(repeated)[:3].tolist())} "
            f"and others). Say which counts: contact='first', 'last', 'newest COLUMN', or 'every' to contact all of "
            "them (on the command line: --contact)."
        )


def _about(keys: pd.Series, copies: Mask, contact: str) -> Iterator[Remark]:
    many, several = int(copies.sum()), int(keys[keys.duplicated(keep=False)].nunique())
    if many:
        yield Remark(
            "contact-copies",
            f"{many:,} exact {plural(many, 'copy', 'copies')} of a row of the contacts {plural(many, 'was', 'were')} "
            "dropped.",
        )
    if several:
        taken = "every row is contacted that may be" if contact == EVERY else f"the {contact} counts"
        yield Remark(
            "several-contacts",
            f"{several:,} {plural(several, 'customer has', 'customers have')} several different rows in the contacts: "
            f"{taken}. A refusal or a suppression in any of them "
            f"{'stops that row' if contact == EVERY else 'stops the customer'}.",
        )
