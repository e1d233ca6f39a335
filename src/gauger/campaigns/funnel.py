"""Customers on their way from everyone to the contacted: who leaves at which step."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.campaigns import eligible
from gauger.campaigns.addresses import hashed
from gauger.campaigns.arms import HOLDOUT, arms
from gauger.campaigns.contact_rows import rows_that_speak
from gauger.campaigns.people import People
from gauger.errors import SettingError
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED
from gauger.wording import plural


@dataclass(eq=False)
class ContactFunnel:
    """Customers on their way through the steps: `step` (n,) is where each left, empty while on the way.

    `people` are their contacts in their order, `answers` the contacts' table of everyone, `contacts` who of these are
    one person, `allowed` (m,) which of them may be contacted, and `rows_of_contacts` (n,) where each customer stands
    among them, -1 for nowhere.
    """

    key: str
    keys: pd.Series
    segments: NDArray[np.int64]
    people: pd.DataFrame
    known: NDArray[np.bool_]
    contacts: People
    answers: pd.DataFrame
    rows_of_contacts: NDArray[np.intp]
    allowed: NDArray[np.bool_]
    step: NDArray[np.object_]

    @classmethod
    def of(
        cls,
        customers: pd.DataFrame,
        contacts: pd.DataFrame,
        key: str,
        people: People,
        allowed: NDArray[np.bool_],
        contact: str,
    ) -> "ContactFunnel":
        """Everyone at the start; `contacts` are indexed by key, `people` who of them are one, `contact` which row
        speaks for a customer with several."""
        keys = customers[key]
        speaking = rows_that_speak(contacts, contact, allowed)
        found = contacts.index[speaking].get_indexer(pd.Index(keys))
        rows_of_contacts = np.where(found >= 0, np.append(speaking, -1)[found], -1)
        if len(keys) and not (rows_of_contacts >= 0).any():
            raise SettingError(
                f"no customer of the assignments is in the contacts: are the keys in {key!r} written the same way, and "
                "of one kind (numbers or text)?"
            )
        index = pd.RangeIndex(len(keys))
        own = contacts.iloc[speaking].reindex(pd.Index(keys)).set_axis(index)
        step = np.full(len(keys), "", dtype=object)
        segments = customers["segment"].to_numpy()
        return cls(
            key,
            keys.set_axis(index),
            segments,
            own,
            rows_of_contacts >= 0,
            people,
            contacts,
            rows_of_contacts,
            allowed,
            step,
        )

    @property
    def persons(self) -> NDArray[np.intp]:
        """Which person each customer is (n,); who is not in the contacts is one of their own."""
        alone = len(self.contacts.person) + np.arange(len(self.rows_of_contacts))
        return np.where(self.known, np.append(self.contacts.person, -1)[self.rows_of_contacts], alone)

    def _of(self, contacts: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Something of the contacts, for the customers (n,)."""
        return np.asarray(np.append(contacts, False)[self.rows_of_contacts])

    def address(self, kind: str) -> "pd.Series[str] | None":
        """The customers' first addresses of a kind, missing where there is none usable."""
        column = self.contacts.usable(kind)
        if column is None:
            return None
        own = column.iloc[np.where(self.known, self.rows_of_contacts, 0)].set_axis(self.keys.index)
        return own.where(self.known)

    def audience_rows(self, who: NDArray[np.intp], *, every: bool) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """For some customers the rows of contacts that are contacted, as places of customers and of contacts: the one
        that speaks for them, or every one that may be, each person once."""
        if not every:
            return who, self.rows_of_contacts[who]
        places = pd.Series(np.arange(len(who)), index=pd.Index(self.keys.iloc[who]))
        owner = places.reindex(self.answers.index).to_numpy(dtype=np.float64)
        rows = np.flatnonzero(self.allowed & np.isfinite(owner))
        speaks = np.isin(rows, self.rows_of_contacts[who])
        rows = rows[np.lexsort((rows, ~speaks))]
        first = ~pd.Series(self.contacts.person[rows]).duplicated().to_numpy()
        rows = rows[first]
        return who[owner[rows].astype(np.intp)], rows

    @property
    def on_the_way(self) -> NDArray[np.bool_]:
        """Who has not left yet (n,)."""
        return np.asarray(self.step == "", dtype=np.bool_)

    def leave(self, who: NDArray[np.bool_], step: str) -> None:
        """Let some who are still on the way leave at a step."""
        self.step[self.on_the_way & who] = step

    def sort_out(
        self,
        chosen: set[int],
        *,
        consent: str | None,
        refusal_binds: str,
        suppressed: NDArray[np.bool_],
        address: str | None,
        kinds: Mapping[str | None, str],
        min_size: int,
    ) -> list[Remark]:
        """Every step before the holdout; `suppressed` are contacts, `kinds` says which columns hold addresses."""
        outside = ~np.isin(self.segments, sorted(chosen))
        self.leave(outside & (self.segments == UNASSIGNED), eligible.UNASSIGNED_STEP)
        self.leave(outside, eligible.NOT_CHOSEN)
        self.leave(~self.known, eligible.NO_CONTACT)
        if consent is not None:
            self.leave(~self._of(consenting(self.answers, self.contacts, consent, refusal_binds)), eligible.NO_CONSENT)
        self.leave(self._of(self.contacts.spread(suppressed)), eligible.SUPPRESSED)
        if address is not None:
            self.leave(~self._of(with_address(self.answers, self.contacts, address, kinds)), eligible.NO_ADDRESS)
        first = eligible.first_of_each(self.persons, self.keys.tolist(), self.on_the_way)
        self.leave(~first, eligible.DUPLICATE)
        for number in sorted(chosen):
            own = self.on_the_way & (self.segments == number)
            if 0 < int(own.sum()) < min_size:
                self.leave(own, eligible.BELOW)
        return self._about_contacts()

    def _about_contacts(self) -> list[Remark]:
        lacking = int((self.step == eligible.NO_CONTACT).sum())
        if not lacking:
            return []
        who = plural(lacking, "customer is", "customers are")
        return [Remark("not-in-contacts", f"{lacking:,} {who} not in the contacts, and cannot be contacted.")]

    def hold_out(self, share: float, campaign: str, seed: int) -> None:
        """The last step: the holdout, and the contacted."""
        left = self.on_the_way
        drawn = arms(pd.Index(self.keys[left]), self.segments[left], share, campaign, seed)
        self.step[np.flatnonzero(left)[drawn == HOLDOUT]] = eligible.HELD_OUT
        self.leave(left, eligible.CONTACTED)

    def hashes(self, match: list[str]) -> dict[str, "pd.Series[str]"]:
        """The hashed addresses of the contacted, by kind."""
        contacted = self.step == eligible.CONTACTED
        found = {}
        for kind in match:
            column = self.address(kind)
            if column is None:
                raise SettingError(f"match_on={kind!r} needs a column of such addresses in the contacts.")
            found[kind] = hashed(column[contacted])
        return found

    def outcome(self) -> pd.DataFrame:
        """Where each customer left."""
        return pd.DataFrame({self.key: self.keys, "segment": self.segments, "step": self.step})


def consenting(contacts: pd.DataFrame, people: People, consent: str, refusal_binds: str) -> NDArray[np.bool_]:
    """Which contacts said yes, and nobody no who binds them: a person's other contacts, or a customer's other rows."""
    yes, no = eligible.answers_in(contacts, consent)
    refused = people.spread(no) if refusal_binds == "person" else contacts.index.isin(contacts.index[no])
    return np.asarray(yes & ~refused)


def with_address(
    contacts: pd.DataFrame, people: People, address: str, kinds: Mapping[str | None, str]
) -> NDArray[np.bool_]:
    """Which contacts have a usable address in that column."""
    known = people.usable(kinds[address]) if address in kinds else None
    column = contacts[address] if known is None else known
    return np.asarray(~(column.isna() | (column.astype("str").str.strip() == "")).to_numpy(dtype=np.bool_))
