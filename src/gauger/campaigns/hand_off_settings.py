"""What is asked of a hand-off, checked as one."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from gauger.campaigns.files import FORMATS
from gauger.campaigns.suppression import Account
from gauger.errors import SettingError

MATCHES = ("email", "phone")


@dataclass(frozen=True, kw_only=True, eq=False)
class HandOffSettings:
    """The settings of `gauger.hand_off`, which tells what each of them means."""

    campaign: str
    key: str | None = None
    segments: Sequence[int | str] | None = None
    columns: Sequence[str] | None = None
    holdout: float = 0.1
    suppress: object = None
    consent: str | None = "consent_email"
    min_size: int = 0
    match_on: str | Sequence[str] | None = None
    address: str | None = "email"
    email: str | None = "email"
    phone: str | None = "phone"
    region: str | None = None
    refusal_binds: str = "person"
    sub_addresses: str = "together"
    unreadable: str = "refuse"
    format: str = "csv"
    base_rate: float = 0.02
    seed: int = 0

    @property
    def matches(self) -> list[str]:
        """The kinds of address that are also written as hashes."""
        return [self.match_on] if isinstance(self.match_on, str) else list(self.match_on or ())

    @property
    def columns_to_write(self) -> list[str]:
        """The columns of contacts that the files have, by default the address."""
        return list(self.columns if self.columns is not None else [self.address] if self.address else [])

    def refuse_bad(self) -> None:
        """Raise SettingError for the first setting that is none."""
        if not isinstance(self.campaign, str) or not self.campaign.strip():
            raise SettingError("campaign must be a name: it decides who is held out.")
        if (
            isinstance(self.holdout, bool)
            or not isinstance(self.holdout, (int, float))
            or not 0.0 <= self.holdout < 1.0
        ):
            raise SettingError(f"holdout={self.holdout!r} must be a share from 0 to below 1.")
        if isinstance(self.min_size, bool) or not isinstance(self.min_size, (int, np.integer)) or self.min_size < 0:
            raise SettingError(f"min_size={self.min_size!r} must be a whole number from 0 up.")
        if not 0.0 < self.base_rate < 1.0:
            raise SettingError(f"base_rate={self.base_rate!r} must be a share between 0 and 1.")
        for kind in self.matches:
            if kind not in MATCHES:
                raise SettingError.not_one_of("match_on", kind, MATCHES)
        if self.format not in FORMATS and "://" not in self.format:
            raise SettingError.not_one_of("format", self.format, (*FORMATS, "a database's URL"))
        for name, given, words in (
            ("refusal_binds", self.refusal_binds, ("person", "customer")),
            ("sub_addresses", self.sub_addresses, ("together", "apart")),
            ("unreadable", self.unreadable, ("refuse", "skip")),
        ):
            if given not in words:
                raise SettingError.not_one_of(name, given, words)

    def for_manifest(self, chosen: set[int], columns: list[str], account: Account) -> dict[str, Any]:
        """The settings as the manifest tells them: no key of a customer and no address is among them."""
        return {
            "segments": "all" if self.segments is None else sorted(chosen),
            "columns": columns,
            "holdout": self.holdout,
            "refusal_binds": self.refusal_binds,
            "sub_addresses": self.sub_addresses,
            "suppression": {
                "read": account.read,
                "matched": account.matched,
                "nobody": account.nobody,
                "unreadable": account.unreadable,
                "by_sub_address": account.by_sub_address,
            },
            "consent": self.consent if self.consent is not None else "not needed, as the caller said",
            "address": self.address,
            "min_size": self.min_size,
            "match_on": self.matches,
            "base_rate": self.base_rate,
            "seed": self.seed,
            "format": self.format if self.format in FORMATS else "database",
        }
