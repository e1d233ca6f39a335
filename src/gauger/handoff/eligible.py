"""Who may be contacted: one reason for everyone who may not, in an order that is always the same."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from gauger.errors import ColumnValuesError, SettingError, UnknownColumnError, plural
from gauger.handoff.addresses import normal_emails, normal_phones
from gauger.remarks import Remark
from gauger.tables.checking import checked_table, keys_as_text

NOT_CHOSEN, UNASSIGNED_STEP, NO_CONTACT = "segment not chosen", "unassigned", "not in contacts"
NO_CONSENT, SUPPRESSED, NO_ADDRESS, DUPLICATE = "no consent", "suppressed", "no address", "duplicate"
BELOW, HELD_OUT, CONTACTED = "below minimum", "holdout", "contacted"
STEPS = (
    *(UNASSIGNED_STEP, NOT_CHOSEN, NO_CONTACT, NO_CONSENT, SUPPRESSED, NO_ADDRESS, DUPLICATE, BELOW, HELD_OUT),
    CONTACTED,
)
DUPLICATE_RULE = (
    "customers with the same e-mail address (trimmed, small letters) or the same telephone number, also by way of a "
    "third, are one person; of those who may be contacted the one with the lowest key goes."
)

_YES = frozenset({"1", "1.0", "true", "t", "yes", "y"})
_NO = frozenset({"0", "0.0", "false", "f", "no", "n"})

Mask = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Addresses:
    """The customers' addresses in one form each, missing where there is none usable; None for a column there is not."""

    emails: "pd.Series[str] | None"
    phones: "pd.Series[str] | None"

    @classmethod
    def of(cls, contacts: pd.DataFrame, email: str | None, phone: str | None) -> "Addresses":
        """The addresses in some columns of contacts."""
        emails = normal_emails(contacts[email]) if email is not None and email in contacts.columns else None
        phones = normal_phones(contacts[phone]) if phone is not None and phone in contacts.columns else None
        return cls(emails, phones)

    def persons(self, customers: int) -> NDArray[np.intp]:
        """Which person each customer is (n,): the same for all who share an address."""
        links = [one for one in (self.emails, self.phones) if one is not None]
        own, others, place = [], [], customers
        for column in links:
            codes, names = pd.factorize(column)
            there = np.flatnonzero(codes >= 0)
            own.append(there)
            others.append(codes[there] + place)
            place += len(names)
        if not links:
            return np.arange(customers)
        rows, columns = np.concatenate(own), np.concatenate(others)
        graph = coo_array((np.ones(len(rows), dtype=np.int8), (rows, columns)), shape=(place, place))
        return np.asarray(connected_components(graph, directed=False)[1][:customers])


def consent_of(contacts: pd.DataFrame, column: str) -> Mask:
    """Who said yes (n,): 1, true or yes; a gap is no. Raises ColumnValuesError for other words."""
    words = contacts[column].map(lambda value: str(value).strip().lower(), na_action="ignore")
    odd = sorted(set(words.dropna()) - _YES - _NO)
    if odd:
        raise ColumnValuesError(
            f"{column!r} must say yes or no (1 or 0, true or false), and has {len(odd):,} other "
            f"{plural(len(odd), 'word')}. Nobody can be contacted on that."
        )
    return words.isin(_YES).to_numpy(dtype=np.bool_)


def suppressed_by(
    lists: object, keys: pd.Series, addresses: Addresses, persons: NDArray[np.intp], email: str | None
) -> tuple[Mask, list[Remark]]:
    """Who is on a suppression list (n,), by key or by e-mail, with everyone who shares an address with them."""
    named, mailed = _entries(lists, str(keys.name), email)
    found = keys_as_text(keys).isin(named).to_numpy(dtype=np.bool_)
    if addresses.emails is not None:
        found = found | addresses.emails.isin(mailed).to_numpy(dtype=np.bool_)
    remarks = []
    if mailed and addresses.emails is None:
        remarks.append(
            Remark(
                "suppression-unused",
                f"{len(mailed):,} suppressed e-mail addresses could not be looked for: the contacts have no column of "
                "e-mail addresses.",
            )
        )
    touched = np.zeros(int(persons.max(initial=-1)) + 1, dtype=np.bool_)
    touched[persons[found]] = True
    return touched[persons] if len(persons) else found, remarks


def _entries(lists: object, key: str, email: str | None) -> tuple[set[str], set[str]]:
    """Suppressed keys and e-mail addresses: from a table with either column, or a list of either."""
    if lists is None:
        return set(), set()
    if isinstance(lists, pd.DataFrame):
        table = checked_table(lists)
        columns = [name for name in (key, email) if name is not None and name in table.columns]
        if not columns:
            raise UnknownColumnError.among([key], list(table.columns))
        named = set(keys_as_text(table[key].dropna())) if key in columns else set()
        mailed = set(normal_emails(table[email]).dropna()) if email in columns else set()
        return named - {""}, mailed
    if isinstance(lists, str) or not isinstance(lists, Iterable):
        raise SettingError(
            f"suppress must be a table with {key} or {email}, or a list of either, not {type(lists).__name__}."
        )
    entries = pd.Series(list(lists), dtype=object).dropna()
    return set(keys_as_text(entries)), set(normal_emails(entries).dropna())


def first_of_each(persons: NDArray[np.intp], keys: Sequence[object], among: Mask) -> Mask:
    """Who of some customers is the first of their person by key (n,), others being duplicates."""
    order = sorted(np.flatnonzero(among).tolist(), key=lambda place: str(keys[place]))
    firsts: dict[int, int] = {}
    for place in order:
        firsts.setdefault(int(persons[place]), place)
    found = np.zeros(len(persons), dtype=np.bool_)
    found[list(firsts.values())] = True
    return found
