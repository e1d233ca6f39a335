"""Who must not be contacted: every entry of a list read, looked for, and accounted for."""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.campaigns.addresses import emails_in, mailbox_of, mailboxes_of, phones_in, plain_text
from gauger.campaigns.people import People
from gauger.columns import checked_table, is_table, keys_as_text
from gauger.errors import ColumnValuesError, SettingError, UnknownColumnError
from gauger.remarks import Remark
from gauger.wording import data_rows, plural

Mask = NDArray[np.bool_]

_ZEROS = re.compile(r"^0+(?=.)")


@dataclass(frozen=True)
class Account:
    """How many entries of a suppression list were `read`, `matched` somebody, matched nobody, or were `unreadable`; and
    how many of the matched found somebody `by_sub_address`, who is written with another one than the entry."""

    read: int
    matched: int
    unreadable: int
    by_sub_address: int

    @property
    def nobody(self) -> int:
        """The entries that can be read and match nobody."""
        return self.read - self.matched - self.unreadable


@dataclass(frozen=True)
class _Entry:
    """One entry: what it says, as keys in their loose form and as addresses, and the row of the list it stands in."""

    row: int
    key: str | None
    emails: tuple[str, ...]
    phones: tuple[str, ...]

    @property
    def readable(self) -> bool:
        return self.key is not None or bool(self.emails or self.phones)


@dataclass(frozen=True, eq=False)
class Suppression:
    """The entries of a suppression list."""

    entries: tuple[_Entry, ...]

    @classmethod
    def of(cls, lists: object, *, key: str, email: str | None, phone: str | None, region: str | None) -> "Suppression":
        """From a table with the key, the e-mail or the telephone column, or from a list of any of them."""
        if lists is None:
            return cls(())
        if is_table(lists):
            table = checked_table(lists).reset_index(drop=True)
            columns = {name: kind for name, kind in ((key, "key"), (email, "email"), (phone, "phone")) if name}
            if not set(columns) & set(table.columns):
                raise UnknownColumnError.among([key], list(table.columns))
            known = [(table[name], kind) for name, kind in columns.items() if name in table.columns]
            return cls(tuple(entry for column, kind in known for entry in _entries(column, kind, region)))
        if isinstance(lists, str) or not isinstance(lists, Iterable):
            raise SettingError(
                f"suppress must be a table with {key}, {email} or {phone}, or a list of any of them, not "
                f"{type(lists).__name__}."
            )
        column = pd.Series(list(lists), dtype=object)
        mailed = column.map(lambda value: "@" in str(value))
        return cls((*_entries(column[mailed], "email", region), *_entries(column[~mailed], "either", region)))

    def found_among(self, keys: pd.Index, people: People) -> tuple[Mask, Account]:
        """Which contacts (n,), of these keys, are named by an entry; and the account of the entries.

        A key that is nobody's exactly names whoever's differs only by case, leading zeros, a decimal point of nothing,
        or its Unicode form: the careful reading.
        """
        exact = keys_as_text(pd.Series(keys)).to_numpy(dtype=object)
        named = np.zeros(len(keys), dtype=np.bool_)
        indices = {"exact": _places(exact), "loose": _places([loose_key(one) for one in exact])}
        by_email, by_phone = (_places_of_cells(column) for column in (people.mailboxes, people.phones))
        apart = None if people.emails is None else mailboxes_of(people.emails, together=False)
        by_address = _places_of_cells(apart)
        matched, by_sub_address = 0, 0
        for entry in self.entries:
            own: list[int] = []
            if entry.key is not None:
                own += indices["exact"].get(entry.key) or indices["loose"].get(loose_key(entry.key), [])
            own += [index for number in entry.phones for index in by_phone.get(number, [])]
            plain = [index for one in entry.emails for index in by_address.get(mailbox_of(one, together=False), [])]
            boxes = {mailbox_of(one, together=people.together) for one in entry.emails}
            mailed = [index for box in boxes for index in by_email.get(box, [])]
            by_sub_address += bool(set(mailed) - set(plain) - set(own))
            own += mailed
            matched += bool(own)
            named[own] = True
        unreadable = sum(not entry.readable for entry in self.entries)
        return named, Account(len(self.entries), matched, unreadable, by_sub_address)

    def refuse_unreadable(self) -> None:
        """Raise ColumnValuesError, by row and never by what it says, where an entry cannot be read."""
        rows = sorted({entry.row for entry in self.entries if not entry.readable})
        if rows:
            raise ColumnValuesError(
                f"{len(rows):,} suppression {plural(len(rows), 'entry', 'entries')} cannot be read ({data_rows(rows)} "
                "of the list): somebody who must not be contacted could be. Correct them (numbers without a country "
                "need region='GB', on the command line --region GB), or say unreadable='skip' (--skip-unreadable)."
            )


def loose_key(key: str) -> str:
    """A key without what tells two ways of writing one key apart: case, leading zeros, .0, Unicode form."""
    plain = plain_text(key).casefold()
    whole = plain[:-2] if plain.endswith(".0") and plain[:-2].isdigit() else plain
    return _ZEROS.sub("", whole)


def about_suppression(account: Account) -> Iterator[Remark]:
    """How many entries there were and what became of them; nothing without a list."""
    if not account.read:
        return
    entries = f"{account.read:,} suppression {plural(account.read, 'entry was', 'entries were')} read"
    parts = [f"{account.matched:,} {plural(account.matched, 'matches', 'match')} somebody of the contacts"]
    if account.by_sub_address:
        parts[0] += (
            f" ({account.by_sub_address:,} {plural(account.by_sub_address, 'finds', 'find')} further contacts by a "
            "sub-address, such as name+shop@…; to keep these apart: --sub-addresses apart)"
        )
    if account.nobody:
        parts.append(f"{account.nobody:,} {plural(account.nobody, 'matches', 'match')} nobody")
    if account.unreadable:
        parts.append(
            f"{account.unreadable:,} could not be read and {plural(account.unreadable, 'was', 'were')} skipped"
        )
    doubt = "" if account.matched else " Is it the list of these customers, written in a way that can be matched?"
    yield Remark("suppression-read", f"{entries}: {', '.join(parts)}.{doubt}")


def _entries(column: pd.Series, kind: str, region: str | None) -> Iterator[_Entry]:
    """The entries of a column; "either" is a key or a telephone number."""
    column = column[column.notna() & (column.map(lambda value: plain_text(str(value))) != "")]
    keys = keys_as_text(column)
    nothing: pd.Series[Any] = pd.Series([()] * len(column), index=column.index, dtype=object)
    emails = emails_in(column) if kind == "email" else nothing
    phones = phones_in(column, region) if kind in ("phone", "either") else nothing
    for index, key, mailed, called in zip(column.index, keys, emails, phones, strict=True):
        yield _Entry(int(index), str(key) if kind in ("key", "either") else None, tuple(mailed), tuple(called))


def _places(values: Iterable[object]) -> dict[object, list[int]]:
    found: dict[object, list[int]] = {}
    for index, value in enumerate(values):
        found.setdefault(value, []).append(index)
    return found


def _places_of_cells(column: "pd.Series[Any] | None") -> dict[str, list[int]]:
    found: dict[str, list[int]] = {}
    for index, cell in enumerate(() if column is None else column):
        for address in cell:
            found.setdefault(address, []).append(index)
    return found
