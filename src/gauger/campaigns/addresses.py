"""E-mail addresses and telephone numbers, in whatever form people write them, in one form each; and their hashes."""

import hashlib
import re
import unicodedata
from collections.abc import Callable
from functools import lru_cache, partial
from typing import Any

import pandas as pd

from gauger.errors import SettingError

Found = tuple[str, ...]

_PLAIN = r"[a-z0-9][a-z0-9._%+\-]*@[a-z0-9](?:[a-z0-9.\-]*[a-z0-9])?\.[a-z]{2,}"
_EMAIL = re.compile(r"[^@\s,;:<>\"()\[\]]+@[^@\s,;:<>\"()\[\]]+\.[^@\s.,;:<>\"()\[\]]{2,}")
_BETWEEN_EMAILS = re.compile(r"[\s,;|<>()\[\]\"]+")
_BETWEEN_PHONES = re.compile(r"[;,|\n]+")
_AROUND = " \t.,;:!?'\"<>()[]{}"
_E164 = re.compile(r"\+[1-9]\d{6,14}")
_MARKS = re.compile(r"[^\d+]")


def emails_in(column: pd.Series) -> "pd.Series[Any]":
    """The e-mail addresses in each cell, as a tuple; empty where there is none.

    Addresses are in small letters, in Unicode's compatible form (NFKC) without signs that nobody sees, their domains in
    ASCII (IDNA). What stands around them is taken away: names and brackets, `mailto:`, punctuation at the end. A cell
    may hold several.
    """
    text = _texts(column).str.lower()
    plain = text.str.fullmatch(_PLAIN).to_numpy(dtype=bool)
    found = text.map(lambda one: (one,)).astype(object)
    found[~plain] = _by_distinct(text[~plain], _emails)
    return found


def mailboxes_of(found: "pd.Series[Any]", *, together: bool) -> "pd.Series[Any]":
    """What tells people apart by their e-mail addresses: each address as `emails_in` gives it, in folded case.

    So `straße@…` and `STRASSE@…` are one person; and, where sub-addresses belong `together`, so are `name@…` and
    `name+shop@…`, which most providers deliver to the same person.
    """
    return found.map(lambda own: tuple(dict.fromkeys(mailbox_of(one, together=together) for one in own)))


def mailbox_of(address: str, *, together: bool) -> str:
    """An address in folded case, and without its sub-address where these belong `together`."""
    name, _, domain = address.rpartition("@")
    name = unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", name).casefold())
    if together:
        name = name[:1] + name[1:].partition("+")[0]  # what begins with + has no name before it
    return f"{name}@{domain}"


def phones_in(column: pd.Series, region: str | None) -> "pd.Series[Any]":
    """The telephone numbers in each cell, as a tuple of E.164 forms (+ and digits); empty where there is none.

    A number without its country is one of `region` (ISO 3166, such as "GB"); without a region it is not readable. 00
    in front becomes +. Raises SettingError for a region that there is not.
    """
    import phonenumbers

    if region is not None and region not in phonenumbers.SUPPORTED_REGIONS:
        raise SettingError(f"region={region!r} is no country that telephone numbers are known of: write it like 'GB'.")
    return _by_distinct(_texts(column), partial(_phones, region))


def first_of(found: "pd.Series[Any]") -> "pd.Series[str]":
    """The first address of each cell, missing where there is none."""
    return found.map(lambda own: own[0] if own else None).astype("str")


def hashed(column: "pd.Series[str]") -> "pd.Series[str]":
    """SHA-256 of each address as UTF-8, in hexadecimal; missing where there is none."""
    return column.map(lambda one: hashlib.sha256(one.encode()).hexdigest(), na_action="ignore")


def plain_text(text: str) -> str:
    """Text in Unicode's compatible form, without signs that nobody sees, trimmed."""
    if text.isascii() and text.isprintable():
        return text.strip()
    plain = unicodedata.normalize("NFKC", text)
    return "".join(" " if sign.isspace() else sign for sign in plain if unicodedata.category(sign) != "Cf").strip()


def _texts(column: pd.Series) -> "pd.Series[str]":
    """Plain text, empty where there is none; whole numbers without a point."""
    return column.astype(object).where(column.notna(), "").map(_text_of).astype("str")


def _text_of(value: object) -> str:
    return str(int(value)) if isinstance(value, float) and value.is_integer() else plain_text(str(value))


def _by_distinct(column: "pd.Series[str]", read: Callable[[str], Found]) -> "pd.Series[Any]":
    known = {text: read(text) for text in column.unique()}
    return column.map(known).astype(object)


def _emails(text: str) -> Found:
    parts = (part.strip(_AROUND).removeprefix("mailto:").split("?")[0] for part in _BETWEEN_EMAILS.split(text))
    found = (_with_ascii_domain(part.strip(_AROUND)) for part in parts if "@" in part)
    return tuple(dict.fromkeys(address for address in found if address is not None and _EMAIL.fullmatch(address)))


def _with_ascii_domain(address: str) -> str | None:
    name, _, domain = address.rpartition("@")
    try:
        return f"{name}@{domain.encode('idna').decode('ascii').lower()}"
    except UnicodeError:
        return None


def _phones(region: str | None, text: str) -> Found:
    found = (_phone(part.strip(), region) for part in _BETWEEN_PHONES.split(text) if part.strip())
    return tuple(dict.fromkeys(number for number in found if number is not None))


@lru_cache(maxsize=2**16)
def _phone(text: str, region: str | None) -> str | None:
    import phonenumbers

    written = re.sub(r"^(?:tel:)?\s*\(?00\)?", "+", text.lower())
    try:
        number = phonenumbers.parse(written, region)
    except phonenumbers.NumberParseException as error:
        # Of a country that the library does not know, the international form is taken as it stands.
        plain = _MARKS.sub("", written)
        known = error.error_type != phonenumbers.NumberParseException.INVALID_COUNTRY_CODE
        return None if known or not _E164.fullmatch(plain) else plain
    if not phonenumbers.is_possible_number(number):
        return None
    return str(phonenumbers.format_number(number, phonenumbers.PhoneNumberFormat.E164))
