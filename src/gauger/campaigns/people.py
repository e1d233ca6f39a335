"""Which contacts are one person: those who share an e-mail address or a telephone number, also by way of a third."""

from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from gauger.campaigns.addresses import emails_in, first_of, mailboxes_of, phones_in

Mask = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class People:
    """Contacts (n,) with their addresses, as tuples of one form each, None where there is no such column.

    `mailboxes` tell people apart by e-mail, and `person` (n,) says which contacts are one person.

    Addresses that differ only in their sub-address (`name+shop@…`) are one person's where they belong `together`.
    """

    emails: "pd.Series[Any] | None"
    phones: "pd.Series[Any] | None"
    mailboxes: "pd.Series[Any] | None"
    together: bool
    person: NDArray[np.intp]

    @classmethod
    def of(
        cls,
        contacts: pd.DataFrame,
        email: str | None,
        phone: str | None,
        region: str | None,
        *,
        together: bool,
        one_by_key: bool = True,
    ) -> "People":
        """The people in a table of contacts, by the columns of addresses that it has, and by its index: rows of one key
        are one person, unless each row is a person of a household."""
        emails = emails_in(contacts[email]) if email is not None and email in contacts.columns else None
        phones = phones_in(contacts[phone], region) if phone is not None and phone in contacts.columns else None
        mailboxes = None if emails is None else mailboxes_of(emails, together=together)
        keys = pd.Series([(key,) for key in contacts.index], dtype=object) if one_by_key else None
        return cls(emails, phones, mailboxes, together, _persons(len(contacts), mailboxes, phones, keys))

    def usable(self, kind: str) -> "pd.Series[str] | None":
        """The first address of a kind ("email" or "phone") of each contact, missing where there is none."""
        column = self.emails if kind == "email" else self.phones
        return None if column is None else first_of(column)

    def spread(self, who: Mask) -> Mask:
        """Some contacts (n,) and all who are one person with any of them."""
        touched = np.zeros(int(self.person.max(initial=-1)) + 1, dtype=np.bool_)
        touched[self.person[who]] = True
        return np.asarray(touched[self.person])


def _persons(contacts: int, *columns: "pd.Series[Any] | None") -> NDArray[np.intp]:
    own, others, nodes = [], [], contacts
    for column in columns:
        if column is None:
            continue
        counts = column.map(len).to_numpy(dtype=np.intp)
        flat = [address for cell in column for address in cell]
        codes, names = pd.factorize(pd.Series(flat, dtype=object))
        own.append(np.repeat(np.arange(contacts), counts))
        others.append(codes + nodes)
        nodes += len(names)
    if not own:
        return np.arange(contacts)
    ends = np.concatenate(own), np.concatenate(others)
    graph = coo_array((np.ones(len(ends[0]), dtype=np.int8), ends), shape=(nodes, nodes))
    return np.asarray(connected_components(graph, directed=False)[1][:contacts])
