"""The rules of a hand-off, as one checked value."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, TypedDict

from gauger.campaigns.contact_rows import newest_column
from gauger.campaigns.hand_off_files import FORMATS
from gauger.campaigns.suppression import Account
from gauger.columns import as_one_value, refuse_no_whole_number
from gauger.errors import SettingError

MATCHES = ("email", "phone")


class HandOffRuleNames(TypedDict, total=False):
    """The settings of `HandOffRules`, one by one."""

    campaign: str
    key: str | None
    segments: Sequence[int | str] | None
    columns: Sequence[str] | None
    holdout: float
    suppress: object
    consent: str | None
    min_size: int
    match_on: str | Sequence[str] | None
    address: str | None
    email: str | None
    phone: str | None
    region: str | None
    contact: str
    refusal_binds: str
    sub_addresses: str
    unreadable: str
    format: str
    base_rate: float
    seed: int


@dataclass(frozen=True, kw_only=True, eq=False)
class HandOffRules:
    """The rules of a hand-off: who goes in, who is held out, by which columns, in which form.

    Parameters
    ----------
    campaign : str
        Its name; it decides who is held out.
    key : str, optional
        The key column.
    segments : sequence of int or str, optional
        By number or name; by default all. The unassigned go in only when 0 or "unassigned" is named.
    columns : sequence of str, optional
        The columns of contacts that the files have after key, segment, segment_name and arm; by default only the
        address.
    holdout : float
        The share of each segment that is not contacted, to measure by.
    suppress : pandas.DataFrame or list, optional
        A table with the key, the e-mail or the telephone column, or a list of any of them. Who shares an address with
        somebody suppressed is suppressed too, also by way of contacts in no segment. A key that is nobody's as it is
        written names whoever's differs only by case, leading zeros, `.0` or Unicode form.
    consent : str, optional
        The column of contacts that says yes or no; a gap is no. None says in so many words that none is needed.
    min_size : int
        Segments of fewer who could be contacted are left out.
    match_on : {"email", "phone"} or both, optional
        Also write SHA-256 hashes of addresses, for platforms that match by them, and no plain address.
    address : str, optional
        The column that the campaign needs ("email", "phone" or another); customers without a usable address are left
        out. By default none is needed.
    email, phone : str, optional
        The columns that show that two customers are one person: of those who may be contacted and share an address,
        only the one with the lowest key is contacted.
    region : str, optional
        The country (ISO 3166, such as "GB") of telephone numbers that do not say theirs.
    contact : {"refuse", "first", "last", "newest COLUMN", "every"}
        Which row of the contacts counts for a customer who has several different ones: none, so that they are refused;
        the first, the last, or the newest by a column of dates or numbers; or every one, as where a customer is a
        household. Exact copies count once in any case.
    refusal_binds : {"person", "customer"}
        Which customers a refusal of consent holds for: all who share the address, or only the one who refused.
    sub_addresses : {"together", "apart"}
        Whether `name@…` and `name+shop@…` are one person, as most providers deliver them; a suppression entry then
        stops both.
    unreadable : {"refuse", "skip"}
        What to do with entries of the suppression list that cannot be read.
    format : str
        csv, jsonl, parquet, xlsx, sqlite, or the URL of a PostgreSQL database.
    base_rate : float
        The response expected without the campaign: the hand-off says what uplift over it each holdout can show.
    seed : int
        With the campaign's name it decides who is held out.

    Raises
    ------
    SettingError
        For the first setting that is out of range, or a word that is not known.

    See Also
    --------
    hand_off : Follows them.

    Examples
    --------
    >>> import gauger
    >>> gauger.HandOffRules(campaign="spring", holdout=0.2).holdout
    0.2
    """

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
    contact: str = "refuse"
    refusal_binds: str = "person"
    sub_addresses: str = "together"
    unreadable: str = "refuse"
    format: str = "csv"
    base_rate: float = 0.02
    seed: int = 0

    @classmethod
    def given(cls, rules: "HandOffRules | None", named: HandOffRuleNames) -> "HandOffRules":
        """The rules as one value, or as they are named one by one."""
        return as_one_value(cls, rules, named, "the rules")

    @property
    def matches(self) -> list[str]:
        """The kinds of address that are also written as hashes."""
        return [self.match_on] if isinstance(self.match_on, str) else list(self.match_on or ())

    @property
    def columns_to_write(self) -> list[str]:
        """The columns of contacts that the files have, by default the address."""
        return list(self.columns if self.columns is not None else [self.address] if self.address else [])

    def __post_init__(self) -> None:
        if not isinstance(self.campaign, str) or not self.campaign.strip():
            raise SettingError("campaign must be a name: it decides who is held out.")
        if (
            isinstance(self.holdout, bool)
            or not isinstance(self.holdout, (int, float))
            or not 0.0 <= self.holdout < 1.0
        ):
            raise SettingError(f"holdout={self.holdout!r} must be a share from 0 to below 1.")
        newest_column(self.contact)
        refuse_no_whole_number("min_size", self.min_size, 0)
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


def rules_in_words(rules: HandOffRules, chosen: set[int], columns: list[str], account: Account) -> dict[str, Any]:
    """The settings as the manifest tells them: no key of a customer and no address is among them."""
    return {
        "segments": "all" if rules.segments is None else sorted(chosen),
        "columns": columns,
        "holdout": rules.holdout,
        "contact": rules.contact,
        "refusal_binds": rules.refusal_binds,
        "sub_addresses": rules.sub_addresses,
        "suppression": {
            "read": account.read,
            "matched": account.matched,
            "nobody": account.nobody,
            "unreadable": account.unreadable,
            "by_sub_address": account.by_sub_address,
        },
        "consent": rules.consent if rules.consent is not None else "not needed, as the caller said",
        "address": rules.address,
        "min_size": rules.min_size,
        "match_on": rules.matches,
        "base_rate": rules.base_rate,
        "seed": rules.seed,
        "format": rules.format if rules.format in FORMATS else "database",
    }
