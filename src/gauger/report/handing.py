"""Hand an audience to a campaign: the files, the manifest, and the page that tells it to people."""

from collections.abc import Sequence
from datetime import datetime
from os import PathLike

import pandas as pd

from gauger.campaigns import HandOff, HandOffSettings, write_hand_off
from gauger.models import SegmentModel
from gauger.report.hand_off_page import hand_off_page
from gauger.segmentation import Segmentation


def hand_off(
    assignments: pd.DataFrame | Segmentation,
    contacts: pd.DataFrame,
    folder: str | PathLike[str],
    *,
    campaign: str,
    key: str | None = None,
    segments: Sequence[int | str] | None = None,
    columns: Sequence[str] | None = None,
    holdout: float = 0.1,
    suppress: object = None,
    consent: str | None = "consent_email",
    min_size: int = 0,
    match_on: str | Sequence[str] | None = None,
    address: str | None = "email",
    email: str | None = "email",
    phone: str | None = "phone",
    region: str | None = None,
    refusal_binds: str = "person",
    unreadable: str = "refuse",
    format: str = "csv",  # noqa: A002 - the word for it
    base_rate: float = 0.02,
    seed: int = 0,
    model: SegmentModel | None = None,
    made_at: datetime | None = None,
    replace: bool = False,
) -> HandOff:
    """Write one audience file a segment and one of all, the arms, and a manifest, into a folder of their own.

    - `assignments` has a row a customer: the key (its first column, or `key`), segment, perhaps segment_name; or a
      Segmentation. `contacts` has the same key, consent, and addresses. The unassigned go in only when `segments` names
      0 or "unassigned"; by default all segments go in, else those named by number or name.
    - `consent` is a column of contacts that says yes or no; a gap is no. consent=None says in so many words that none
      is needed. Where one of several contacts who share an address says no, that binds all of them; with
      `refusal_binds="customer"` only that one.
    - `suppress` is a table with the key, the e-mail or the telephone column, or a list of any of them. Who shares an
      address with somebody suppressed is suppressed too, also by way of contacts in no segment. A key that is nobody's
      as it is written names whoever's differs only by case, leading zeros, `.0` or Unicode form. A remark and the
      manifest say how many entries were read, matched somebody, matched nobody; entries that cannot be read are refused
      unless `unreadable="skip"`.
    - `region` is the country (ISO 3166, such as "GB") of telephone numbers that do not say theirs.
    - `address` is the column that the campaign needs ("email", "phone" or another; None for none): who has no usable
      one is left out. `email` and `phone` name the columns by which one person is told twice: of those who may be
      contacted and share an address only the lowest key goes.
    - `holdout` is the share of each segment that is not contacted, to measure by. Segments of fewer than `min_size` who
      could be contacted are left out. `base_rate` is the response expected without the campaign: the hand-off says what
      uplift over it each holdout can show.
    - `columns` are those of contacts that the files have after key, segment, segment_name and arm; by default only the
      address. `format` is csv, jsonl, parquet, xlsx, sqlite, or the URL of a PostgreSQL database. `match_on` "email" or
      "phone" (or both) also writes SHA-256 hashes of addresses, for platforms that match by them, and no plain address
      beside them.
    - `model` lends the manifest its fingerprint, `made_at` its time (by default now). The same call gives the same
      bytes but for the time.

    Everything appears at once, by a rename, or nothing; files can be read by their owner only. No address is in remarks
    or messages.

    Raises UnknownColumnError for columns that are not there (a missing consent column among them), KeyColumnError for a
    member that comes twice, ColumnValuesError for consent in other words, SettingError for settings that are none, and
    OutputError when the folder holds something or writing fails.

    >>> import gauger, pandas as pd, tempfile
    >>> who = pd.DataFrame({"who": list("abcd"), "segment": [1, 1, 2, 0]})
    >>> contacts = pd.DataFrame({"who": list("abcd"), "consent_email": [1, 0, 1, 1]})
    >>> contacts["email"] = [f"{one}@example.org" for one in "abcd"]
    >>> with tempfile.TemporaryDirectory() as place:
    ...     made = gauger.hand_off(who, contacts, f"{place}/spring", campaign="spring", holdout=0.0)
    >>> made.waterfall.loc["all", ["everyone", "unassigned", "no consent", "contacted"]].tolist()
    [4, 1, 1, 2]
    """
    settings = HandOffSettings(
        campaign=campaign,
        key=key,
        segments=segments,
        columns=columns,
        holdout=holdout,
        suppress=suppress,
        consent=consent,
        min_size=min_size,
        match_on=match_on,
        address=address,
        email=email,
        phone=phone,
        region=region,
        refusal_binds=refusal_binds,
        unreadable=unreadable,
        format=format,
        base_rate=base_rate,
        seed=seed,
    )
    return write_hand_off(
        assignments, contacts, folder, settings, page=hand_off_page, model=model, made_at=made_at, replace=replace
    )
