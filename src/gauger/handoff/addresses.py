"""E-mail addresses and telephone numbers in one form each, and the hashes that match them elsewhere."""

import hashlib
import re

import pandas as pd

_EMAIL = re.compile(r"[^@\s,;<>\"]+@[^@\s,;<>\"]+\.[^@\s.,;<>\"]{2,}")
_PHONE = re.compile(r"\+[1-9]\d{6,14}")
_PUNCTUATION = re.compile(r"[\s().\-/]")


def normal_emails(column: pd.Series) -> "pd.Series[str]":
    """E-mail addresses trimmed and in small letters; missing where there is none, or what is there is none."""
    text = column.astype("str").str.strip().str.lower()
    usable = column.notna() & text.map(lambda one: _EMAIL.fullmatch(one) is not None).astype(bool)
    return text.where(usable)


def normal_phones(column: pd.Series) -> "pd.Series[str]":
    """Telephone numbers as + and digits (ITU-T E.164), spaces and marks left out; missing where that is not one.

    A number must say its country: 00 in front becomes +; one without either is not usable.
    """
    text = column.astype("str").str.strip().str.replace(_PUNCTUATION, "", regex=True)
    text = text.str.replace(r"^00", "+", regex=True)
    usable = column.notna() & text.map(lambda one: _PHONE.fullmatch(one) is not None).astype(bool)
    return text.where(usable)


def hashed(column: "pd.Series[str]") -> "pd.Series[str]":
    """SHA-256 of each address as UTF-8, in hexadecimal; missing where there is none."""
    return column.map(lambda one: hashlib.sha256(one.encode()).hexdigest(), na_action="ignore")
