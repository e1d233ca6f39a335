"""E-mail addresses and telephone numbers in one form each, and the hashes that match them elsewhere."""

import hashlib

import pandas as pd

_EMAIL = r"[^@\s,;<>\"]+@[^@\s,;<>\"]+\.[^@\s.,;<>\"]{2,}"
_PHONE = r"\+[1-9]\d{6,14}"
_PUNCTUATION = r"[\s().\-/]"


def normal_emails(column: pd.Series) -> "pd.Series[str]":
    """E-mail addresses trimmed and in small letters; missing where there is none, or what is there is none."""
    text = _texts(column).str.lower()
    return text.where(text.str.fullmatch(_EMAIL))


def normal_phones(column: pd.Series) -> "pd.Series[str]":
    """Telephone numbers as + and digits (ITU-T E.164), spaces and marks left out; missing where that is not one.

    A number must say its country: 00 in front becomes +; one without either is not usable.
    """
    text = _texts(column).str.replace(_PUNCTUATION, "", regex=True).str.replace(r"^00", "+", regex=True)
    return text.where(text.str.fullmatch(_PHONE))


def _texts(column: pd.Series) -> "pd.Series[str]":
    """Trimmed text, empty where there is none."""
    return column.astype(object).where(column.notna(), "").map(str).astype("str").str.strip()


def hashed(column: "pd.Series[str]") -> "pd.Series[str]":
    """SHA-256 of each address as UTF-8, in hexadecimal; missing where there is none."""
    return column.map(lambda one: hashlib.sha256(one.encode()).hexdigest(), na_action="ignore")
