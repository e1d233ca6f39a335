"""Customers on their way from everyone to the contacted: who leaves at which step."""

from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.errors import SettingError, plural
from gauger.handoff import eligible
from gauger.handoff.addresses import hashed
from gauger.handoff.arms import HOLDOUT, arms
from gauger.handoff.eligible import Addresses
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED


@dataclass(eq=False)
class Journey:
    """Customers on their way through the steps: `step` (n,) is where each left, empty while on the way."""

    key: str
    keys: pd.Series
    segments: NDArray[np.int64]
    people: pd.DataFrame
    known: NDArray[np.bool_]
    contacts: Addresses
    addresses: Addresses
    persons: NDArray[np.intp]
    step: NDArray[np.object_]

    @classmethod
    def of(cls, customers: pd.DataFrame, people: pd.DataFrame, key: str, addresses: Addresses) -> "Journey":
        """Everyone at the start, contacts in the customers' order."""
        keys = customers[key]
        places = people.index.get_indexer(pd.Index(keys))
        if len(keys) and not (places >= 0).any():
            raise SettingError(
                f"no customer of the assignments is in the contacts: are the keys in {key!r} written the same way, and "
                "of one kind (numbers or text)?"
            )
        index = pd.RangeIndex(len(keys))
        own = people.reindex(pd.Index(keys)).set_axis(index)
        aligned = Addresses(
            *(
                None if one is None else one.reindex(pd.Index(keys)).set_axis(index)
                for one in (addresses.emails, addresses.phones)
            )
        )
        return cls(
            key,
            keys.set_axis(index),
            customers["segment"].to_numpy(),
            own,
            places >= 0,
            addresses,
            aligned,
            aligned.persons(len(keys)),
            np.full(len(keys), "", dtype=object),
        )

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
        suppress: object,
        address: str | None,
        email: str | None,
        phone: str | None,
        min_size: int,
    ) -> list[Remark]:
        """Every step before the holdout."""
        outside = ~np.isin(self.segments, sorted(chosen))
        self.leave(outside & (self.segments == UNASSIGNED), eligible.UNASSIGNED_STEP)
        self.leave(outside, eligible.NOT_CHOSEN)
        self.leave(~self.known, eligible.NO_CONTACT)
        if consent is not None:
            self.leave(~eligible.yes_in(self.people, consent), eligible.NO_CONSENT)
        listed = eligible.Suppressed.of(suppress, self.key, email).with_addresses(self.contacts)
        self.leave(listed.among(self.keys, self.addresses, self.persons), eligible.SUPPRESSED)
        remarks = listed.remarks(self.addresses)
        if address is not None:
            known = {email: self.addresses.emails, phone: self.addresses.phones}.get(address)
            column = self.people[address] if known is None else known
            blank = column.isna() | (column.astype("str").str.strip() == "")
            self.leave(blank.to_numpy(dtype=np.bool_), eligible.NO_ADDRESS)
        first = eligible.first_of_each(self.persons, self.keys.tolist(), self.on_the_way)
        self.leave(~first, eligible.DUPLICATE)
        for number in sorted(chosen):
            own = self.on_the_way & (self.segments == number)
            if 0 < int(own.sum()) < min_size:
                self.leave(own, eligible.BELOW)
        return [*remarks, *self._about_contacts()]

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
            column = self.addresses.emails if kind == "email" else self.addresses.phones
            if column is None:
                raise SettingError(f"match_on={kind!r} needs a column of such addresses in the contacts.")
            found[kind] = hashed(column[contacted])
        return found

    def outcome(self) -> pd.DataFrame:
        """Where each customer left."""
        return pd.DataFrame({self.key: self.keys, "segment": self.segments, "step": self.step})
