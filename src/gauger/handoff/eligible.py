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


def yes_in(table: pd.DataFrame, column: str) -> Mask:
    """Where a column says yes (n,): 1, true or yes; a gap is no. Raises ColumnValuesError for other words."""
    words = table[column].map(lambda value: str(value).strip().lower(), na_action="ignore")
    odd = sorted(set(words.dropna()) - _YES - _NO)
    if odd:
        raise ColumnValuesError(
            f"{column!r} must say yes or no (1 or 0, true or false), and has {len(odd):,} other "
            f"{plural(len(odd), 'word')}."
        )
    return words.isin(_YES).to_numpy(dtype=np.bool_)


@dataclass(frozen=True, eq=False)
class Suppressed:
    """Who must not be contacted: keys as text, e-mail addresses and telephone numbers in one form each."""

    keys: frozenset[str]
    emails: frozenset[str]
    phones: frozenset[str] = frozenset()

    @classmethod
    def of(cls, lists: object, key: str, email: str | None) -> "Suppressed":
        """From a table with the key or the e-mail column, or a list of either."""
        if lists is None:
            return cls(frozenset(), frozenset())
        if isinstance(lists, pd.DataFrame):
            table = checked_table(lists)
            columns = [name for name in (key, email) if name is not None and name in table.columns]
            if not columns:
                raise UnknownColumnError.among([key], list(table.columns))
            named = set(keys_as_text(table[key].dropna())) if key in columns else set()
            mailed = set(normal_emails(table[email]).dropna()) if email in columns else set()
            return cls(frozenset(named - {""}), frozenset(mailed))
        if isinstance(lists, str) or not isinstance(lists, Iterable):
            raise SettingError(
                f"suppress must be a table with {key} or {email}, or a list of either, not {type(lists).__name__}."
            )
        entries = pd.Series(list(lists), dtype=object).dropna()
        return cls(frozenset(keys_as_text(entries)), frozenset(normal_emails(entries).dropna()))

    def with_addresses(self, contacts: Addresses) -> "Suppressed":
        """The same with the addresses that the suppressed have in the contacts (indexed by key), segmented or not."""
        found = []
        for column in (contacts.emails, contacts.phones):
            own = set() if column is None else set(column[self._named(column)].dropna())
            found.append(own)
        return Suppressed(self.keys, self.emails | found[0], self.phones | found[1])

    def _named(self, column: "pd.Series[str]") -> Mask:
        return keys_as_text(pd.Series(column.index)).isin(self.keys).to_numpy(dtype=np.bool_)

    def among(self, keys: pd.Series, addresses: Addresses, persons: NDArray[np.intp]) -> Mask:
        """Who of some customers is suppressed (n,), or shares an address with somebody who is."""
        found = keys_as_text(keys).isin(self.keys).to_numpy(dtype=np.bool_)
        for column, listed in ((addresses.emails, self.emails), (addresses.phones, self.phones)):
            if column is not None:
                found = found | column.isin(listed).to_numpy(dtype=np.bool_)
        touched = np.zeros(int(persons.max(initial=-1)) + 1, dtype=np.bool_)
        touched[persons[found]] = True
        return np.asarray(touched[persons])

    def remarks(self, addresses: Addresses) -> list[Remark]:
        """That e-mail addresses could not be looked for, where it is so."""
        if not self.emails or addresses.emails is not None:
            return []
        many = f"{len(self.emails):,} suppressed e-mail {plural(len(self.emails), 'address', 'addresses')}"
        text = f"{many} could not be looked for: the contacts have no column of e-mail addresses."
        return [Remark("suppression-unused", text)]


def first_of_each(persons: NDArray[np.intp], keys: Sequence[object], among: Mask) -> Mask:
    """Who of some customers is the first of their person by key (n,), others being duplicates."""
    order = sorted(np.flatnonzero(among).tolist(), key=lambda place: str(keys[place]))
    firsts: dict[int, int] = {}
    for place in order:
        firsts.setdefault(int(persons[place]), place)
    found = np.zeros(len(persons), dtype=np.bool_)
    found[list(firsts.values())] = True
    return found
